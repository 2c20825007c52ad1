"""Forty of one: all variants side by side, copies as a game places them, variants by chance."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QListWidget, QPushButton, QSpinBox

from evenpalette.app.picture_grid import PictureGrid
from evenpalette.app.side_by_side import COPIES, MIXED, SideBySide
from evenpalette.app.stations.variants.roll_dialog import RollDialog
from evenpalette.core.edits import variants as edit
from evenpalette.core.edits.variants import duplicate_variant
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.values import ValueType
from tests.helpers.hand import Hand, choose


def _colors(grid: QListWidget, row: int) -> np.ndarray:
    """Mean color of the model in a picture, without the surround."""
    item = grid.item(row)
    assert item is not None
    image = item.icon().pixmap(grid.iconSize()).toImage()
    pixels = [image.pixelColor(x, y) for x in range(0, image.width(), 2) for y in range(0, image.height(), 2)]
    codes = np.array([[color.red(), color.green(), color.blue()] for color in pixels], float)
    return codes[np.abs(codes - 119).max(1) > 12].mean(0)


def _pcg(number: int) -> int:
    """pcg of JCGT 9(3), 2020, in whole numbers."""
    state = (number * 747796405 + 2891336453) & 0xFFFFFFFF
    word = (((state >> ((state >> 28) + 4)) ^ state) * 277803737) & 0xFFFFFFFF
    return (word >> 22) ^ word


def test_variants_stand_side_by_side_are_chosen_and_written_as_one_picture(hand: Hand, tmp_path: Path) -> None:
    names = ["Defaults", *(variant.name for variant in hand.session.state.project.variants)]
    QTest.keyClick(hand.window, Qt.Key.Key_G)
    hand.wait(lambda: hand.window.views.pictures.is_empty)
    grid = hand.find("Pictures side by side", PictureGrid)
    assert [grid.item(row).text() for row in range(grid.count())] == names  # type: ignore[union-attr]
    assert grid.currentRow() == names.index("Ember")
    ember, night = _colors(grid, names.index("Ember")), _colors(grid, names.index("Midnight Ferry"))
    assert ember[0] - ember[2] > 40
    assert night[2] - night[0] > 10
    grid.setFocus()
    QTest.keyClick(grid, Qt.Key.Key_Right)
    hand.wait()
    following = names[names.index("Ember") + 1]
    state = hand.session.state
    assert next(v.name for v in state.project.variants if v.id == state.project.active_variant) == following
    sheet = hand.window.findChild(SideBySide)
    assert sheet is not None
    said: list[str] = []
    hand.session.said.connect(lambda text, _: said.append(text))
    sheet.save(tmp_path / "all.png")
    hand.wait(lambda: bool(said))
    assert said[-1].startswith(f"{len(names)} pictures are in")
    written = read_image(tmp_path / "all.png")
    assert written.width == 6 * 320
    QTest.keyClick(grid, Qt.Key.Key_Escape)
    assert not sheet.isVisible()
    assert hand.window.views.isVisible()


def test_copies_are_shown_as_the_published_hash_picks_them(hand: Hand) -> None:
    """Variants by chance: the hash of JCGT 9(3), over the number of variants, as picks by copy are."""
    hand.find("All side by side (G)").click()  # type: ignore[attr-defined]
    mode, grid = hand.find("Side by side", QComboBox), hand.find("Pictures side by side", PictureGrid)
    choose(mode, MIXED)
    hand.wait(lambda: hand.window.views.pictures.is_empty)
    state = hand.session.state
    ids = [variant.id for variant in state.project.variants]
    assert len(grid.entries) == 40
    assert len({entry.look.variant for entry in grid.entries}) > 6
    assert [entry.look.copy for entry in grid.entries] == list(range(40))
    assert [ids.index(str(entry.look.variant)) for entry in grid.entries] == [
        _pcg(copy + _pcg(0) & 0xFFFFFFFF) % len(ids) for copy in range(40)
    ]
    choose(mode, COPIES)
    hand.wait(lambda: hand.window.views.pictures.is_empty)
    assert {entry.look.variant for entry in grid.entries} == {state.project.active_variant}
    grid.setCurrentRow(7)
    assert hand.window.views.shown.copy == 7


def test_variants_are_rolled_seen_kept_as_one_change_and_undone(hand: Hand) -> None:
    hand.session.set_station("variants")
    hand.wait()
    before = hand.session.state
    seen: list[tuple[int, list[float]]] = []

    def work() -> None:
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, RollDialog):
            QTimer.singleShot(30, work)
            return
        try:
            keep = hand.find("Keep them", QPushButton, within=dialog)
            hand.wait(lambda: keep.isEnabled() and hand.window.views.pictures.is_empty)
            hand.find("How many", QSpinBox, within=dialog).setValue(9)
            assert not keep.isEnabled()
            hand.wait(lambda: keep.isEnabled() and hand.window.views.pictures.is_empty)
            grid = hand.find("Rolled variants", PictureGrid, within=dialog)
            seen.append((grid.count(), [float(_colors(grid, row).sum()) for row in range(grid.count())]))
            assert hand.session.state is before
            keep.click()
        finally:
            dialog.reject()

    QTimer.singleShot(0, work)
    QTest.keyClick(hand.window, Qt.Key.Key_R)
    hand.wait()
    count, sums = seen[0]
    assert count == 9
    assert len({round(value) for value in sums}) >= 8
    after = hand.session.state
    assert len(after.project.variants) == len(before.project.variants) + 9
    hand.wait_judged()
    assert not [finding for finding in hand.session.watch.findings if finding.station == "variants"]
    assert hand.session.history.undo_label == "Roll 9 variants"
    hand.session.undo()
    assert hand.session.state.project == before.project


def test_a_copy_is_found_and_a_click_on_the_finding_shows_it(hand: Hand) -> None:
    first = hand.session.state.project.variants[0]
    hand.session.apply("Duplicate", lambda s: duplicate_variant(s, first.id))
    copy = hand.session.state.project.active_variant
    hand.session.apply("Other", lambda s: s.with_project(active_variant=None))
    hand.wait(lambda: any(finding.code == "same-variant" for finding in hand.session.watch.findings))
    listed = hand.find("Findings", QListWidget)
    item = next(listed.item(row) for row in range(listed.count()) if "look the same" in listed.item(row).text())  # type: ignore[union-attr]
    listed.itemClicked.emit(item)
    hand.wait()
    assert hand.session.station == "variants"
    assert hand.session.state.project.active_variant == copy


def test_after_a_value_only_those_pictures_are_drawn_that_look_different(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    """And what stands there is what all would be, drawn anew."""
    session, window = hand.session, hand.window
    pictures, rail = window.views.pictures, window.rail
    hand.wait(lambda: pictures.is_empty)
    asked: list[tuple[str, object]] = []
    ask = pictures.request
    monkeypatch.setattr(
        pictures, "request", lambda key, *given, **named: (asked.append(key), ask(key, *given, **named))
    )
    project = session.state.project
    child = next(v for v in project.variants if v.parent is not None)
    parent = next(v for v in project.variants if v.id == child.parent)
    session.apply("Show variant", lambda s: edit.activate(s, parent.id))
    hand.wait(lambda: pictures.is_empty)
    # Another variant is looked at: the cards are of it, the pictures of variants stay.
    assert {"step"} == {key[0] for key in asked} & {"step", "variant"}
    asked.clear()
    steps = project.recipe.steps

    def first_of(parameter: str) -> int:
        return next(n for n, step in enumerate(steps) if any(b.follows == parameter for b in step.bindings))

    at = next(
        p.id
        for p in project.parameters
        if p.type is ValueType.COLOR and p.id not in child.values and first_of(p.id) > 1
    )
    before = {key: QImage(image) for key, image in rail.model.pictures.items()}
    session.apply("value", lambda s: edit.set_value(s, parent.id, at, "#13f0a2"))
    hand.wait(lambda: pictures.is_empty)
    assert {key[1] for key in asked if key[0] == "variant"} == {parent.id, child.id}
    assert {key[1] for key in asked if key[0] == "step"} == set(range(first_of(at) + 1, len(steps) + 1))
    found = {key: QImage(image) for key, image in rail.model.pictures.items()}
    assert found[parent.id] != before[parent.id]
    window.views.shown.eyes_changed.emit()
    hand.wait(lambda: pictures.is_empty)
    assert rail.model.pictures == found
