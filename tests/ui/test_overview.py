"""A collection over the window: pictures of all assets, a shared color tried out on them, taken, taken back."""

import json
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QListWidget

import evenpalette
from evenpalette.app.overview import Overview
from evenpalette.app.widgets.pixels import pixels_of
from evenpalette.core.collection.files import CollectionFile
from evenpalette.core.storage.demo_files import copy_demo
from tests.helpers.hand import Hand

NAMES = ["Moth Lantern", "Pennant", "Stall Sign", "Tea Tin"]


def until(hand: Hand, so: Callable[[], object]) -> None:
    hand.wait_busy(so, 120)


@pytest.fixture
def market(tmp_path: Path) -> Path:
    return copy_demo(tmp_path / "lanterns").parent / "market.collection.json"


@pytest.fixture
def overview(hand: Hand, market: Path) -> Overview:
    hand.window.take_files([market])
    made = hand.window.overview
    until(hand, lambda: len(made.gatherer.assets) == 4 and all(shown(made, n) is not None for n in range(4)))
    return made


def item_text(overview: Overview, place: int) -> str:
    item = overview.grid.item(place)
    return item.text() if item is not None else ""


def shown(overview: Overview, place: int) -> np.ndarray | None:
    """What a tile shows, RGBA; None where it is empty yet."""
    item = overview.grid.item(place)
    if item is None:
        return None
    image = item.icon().pixmap(overview.grid.iconSize()).toImage().convertToFormat(QImage.Format.Format_RGBA8888)
    pixels = pixels_of(image)
    return pixels.astype(int) if pixels[..., 3].any() else None


def press(overview: Overview, hand: Hand, words: str) -> None:
    button = next(b for b in overview.findChildren(QAbstractButton) if b.isVisible() and b.text().startswith(words))
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def field_tint(market: Path) -> str:
    with evenpalette.open(market.parent / "pennant") as pennant:
        return str(pennant.variants["Market Red"]["Field tint"])


def test_a_shared_color_is_seen_on_all_pictures_taken_and_taken_back(
    hand: Hand, overview: Overview, market: Path
) -> None:
    names = [item_text(overview, n).split("\n")[0] for n in range(4)]
    assert names == NAMES
    values = hand.find("Shared values", QListWidget, overview)
    values.setFocus()
    values.setCurrentRow(0)
    until(hand, lambda: "Market Red" in item_text(overview, 1))  # shown in the variant that follows
    QTest.qWait(600)
    before = [shown(overview, n) for n in range(4)]
    bytes_before = {p: p.read_bytes() for p in market.parent.glob("*/project.json")}
    # What does not follow is pale.
    assert before[0][..., 3].max() < 80 < 250 < before[1][..., 3].max()
    hand.type_into(overview.shared.color.hex, "#2040ff")
    until(hand, lambda: all(not np.array_equal(shown(overview, n), before[n]) for n in (1, 2, 3)))
    middle = shown(overview, 1)
    body = middle[..., 3] > 250
    assert middle[body][:, 2].mean() > middle[body][:, 0].mean() + 20
    assert hand.find("What would change", within=overview).text().startswith("3 values of")
    assert {p: p.read_bytes() for p in bytes_before} == bytes_before
    press(overview, hand, "Take it in 3 projects")
    hand.wait(lambda: field_tint(market) == "#2040ff")
    assert CollectionFile(market).read().shared_value("Guild red").value == "#2040ff"
    press(overview, hand, "Take it back")
    hand.wait(lambda: {p: p.read_bytes() for p in bytes_before} == bytes_before)
    until(hand, lambda: np.abs(shown(overview, 1) - before[1]).max() <= 1)
    overview.close_overview()


def test_findings_delivery_sets_and_opening(hand: Hand, overview: Overview, market: Path, tmp_path: Path) -> None:
    until(hand, lambda: all("not delivered" in item_text(overview, n) for n in range(4)))
    out = tmp_path / "out"
    overview.deliver(out)
    until(hand, lambda: all(item_text(overview, n).endswith("in order, delivered") for n in range(4)))
    assert (out / "pennant" / "delivery.json").is_file()
    # Somebody else saves an asset: it is noticed, and said.
    with evenpalette.open(market.parent / "tea-tin") as tin:
        tin.variants["Canal Noon"]["Lid lacquer"] = "#102030"
        tin.save()
    until(hand, lambda: "changed since it was delivered" in item_text(overview, 3))
    overview.sets.setCurrentIndex(overview.sets.findText("Night"))
    overview.sets.activated.emit(overview.sets.currentIndex())
    until(
        hand,
        lambda: (
            [item_text(overview, n).split("\n")[1] for n in range(4)]
            == ["Harbour Night", "Night Row", "Night Brew", "Canal Night"]
        ),
    )
    overview.keep_as("Evening")
    assert (
        CollectionFile(market).read().set_named("Evening").members
        == CollectionFile(market).read().set_named("Night").members
    )
    # The keyboard opens the chosen one.
    overview.choose("pennant")
    overview.grid.setFocus()
    QTest.keyClick(overview.grid, Qt.Key.Key_Return)
    hand.wait(lambda: hand.session.state.project.name == "Pennant" and hand.session.state.region_ids)
    assert not overview.isVisible()


def test_a_value_follows_and_parts_and_the_open_project_is_changed_in_its_history(
    hand: Hand, overview: Overview, market: Path
) -> None:
    overview.close_overview()
    hand.window.project.open_path(market.parent / "moth-lantern")
    hand.wait(lambda: hand.session.path == market.parent / "moth-lantern")
    hand.window.show_collection(market)
    until(hand, lambda: [a.name for a in overview.gatherer.assets if a.project] == NAMES)
    overview.choose("moth-lantern")
    overview.shared.choose("guild-red")
    asset, shared = overview.current(), overview.shared.current()
    assert asset is not None
    assert shared is not None
    offered = overview.asset.offers(asset, shared)
    _, parameter, variant = next(o for o in offered if o[0].startswith("Tassel tint of"))
    labels = len(hand.session.history.labels)
    overview.asset.follow_it(parameter, variant)
    assert hand.session.history.labels[labels:] == ["Follow a shared value"]
    listed = hand.find("Values that follow", QListWidget, overview)
    rows = [listed.item(n).text() for n in range(listed.count())]
    assert any(text.startswith("Tassel tint") and "Guild red" in text for text in rows)
    # Taking a value changes what is open as a step that can be undone, and leaves the file alone.
    saved = (market.parent / "moth-lantern" / "project.json").read_bytes()
    overview.shared.try_out("#123456")
    overview.shared.take_it()
    hand.wait(lambda: hand.session.state.values(variant)[parameter] == "#123456" and field_tint(market) == "#123456")
    assert (market.parent / "moth-lantern" / "project.json").read_bytes() == saved
    hand.session.undo()
    assert hand.session.state.values(variant)[parameter] == "#a7302b"
    listed.setCurrentRow(next(n for n in range(listed.count()) if listed.item(n).text().startswith("Tassel")))
    listed.setFocus()
    QTest.keyClick(listed, Qt.Key.Key_Delete)
    assert all(f.parameter != parameter for f in hand.session.state.project.follows)
    overview.close_overview()


def test_a_broken_collection_and_one_that_changes_meanwhile_are_said(
    hand: Hand, overview: Overview, market: Path
) -> None:
    said: list[str] = []
    hand.session.said.connect(lambda words, _: said.append(words))
    other = evenpalette.open_collection(market)
    QTest.qWait(50)
    other.share("Wear", 0.5)
    overview.shared.share("Rust", "#663311")
    until(hand, lambda: any("changed by somebody else" in words for words in said) or "Rust" in market.read_text())
    until(hand, lambda: [s.name for s in overview.gatherer.collection.shared][:3] == ["Guild red", "Jade", "Wear"])
    overview.close_overview()
    market.write_text(
        json.dumps({"format": "even-palette-collection", "version": 1, "projects": [{"id": "a", "path": "../x"}]})
    )
    began = time.monotonic()
    hand.window.show_collection(market)
    until(hand, lambda: any("no place beneath" in words for words in said))
    assert time.monotonic() - began < 30
    assert not overview.isVisible()


def test_a_collection_begins_with_the_project_that_is_open(hand: Hand, tmp_path: Path, market: Path) -> None:
    hand.window.project.open_path(market.parent / "pennant")
    hand.wait(lambda: hand.session.path == market.parent / "pennant")
    made = hand.window.overview
    made.make_file(market.parent / "mine.collection.json")
    until(hand, lambda: [a.collected.id for a in made.gatherer.assets] == ["pennant"])
    made.add_projects([market.parent / "tea-tin" / "project.json"])
    until(hand, lambda: [a.collected.id for a in made.gatherer.assets] == ["pennant", "tea-tin"])
    made.shared.share("Guild red", "not a color")
    assert CollectionFile(market.parent / "mine.collection.json").read().shared == ()
    made.shared.share("Guild red", "#a7302b")
    assert CollectionFile(market.parent / "mine.collection.json").read().shared_value("guild red").value == "#a7302b"
    made.close_overview()
