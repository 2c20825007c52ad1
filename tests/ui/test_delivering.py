"""What leaves the house, by hand: forms, a layout, what it costs, and a variant that comes back from a page."""

import json
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QMimeData, QPointF, Qt, QTimer
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QLineEdit,
    QListView,
    QListWidget,
    QMenu,
    QPushButton,
    QTableView,
    QTableWidget,
    QToolButton,
    QWidget,
)

from evenpalette.app.widgets.source_drag import packed
from evenpalette.core.delivery.layouts.shelf import kept_layouts
from evenpalette.core.document.layout_model import LayoutChannel, LayoutFile, layout_text
from evenpalette.core.document.project import Role
from evenpalette.core.edits.asset import add_texture
from evenpalette.core.edits.kit_packing import kit_shares
from evenpalette.core.edits.variants import set_value
from evenpalette.core.raster.image_read import read_image
from tests.helpers.hand import Hand


def test_forms_and_a_layout_are_chosen_delivered_kept_and_undone(hand: Hand, tmp_path: Path) -> None:
    hand.session.set_station("delivery")
    bench = hand.window.bench("delivery")
    for name in ("Page for a browser", "glTF"):
        hand.find(name, QCheckBox, bench).click()
    assert hand.session.state.project.delivery.targets == ("images", "kit", "preview", "gltf")
    file = tmp_path / "packed.json"
    lines = [{"to": "r", "from": "attribute:metallic"}, {"to": "g", "from": "attribute:roughness"}]
    file.write_text(
        json.dumps(
            {
                "format": "even-palette-layout",
                "version": 1,
                "name": "Packed",
                "files": [{"name": "{variant}_mr", "size": 64, "channels": lines}],
            }
        )
    )
    bench.layout_choice.take(file)
    assert json.loads(hand.session.state.project.delivery.layout)["name"] == "Packed"
    said: list[str] = []
    hand.session.said.connect(lambda text, _: said.append(text))
    bench.layout_choice.take(tmp_path / "nothing.json")
    assert "does not exist" in said[-1]
    # Two variants, small, so that the test is quick.
    variants = hand.session.state.project.variants
    hand.session.apply(
        "Fewer",
        lambda s: s.with_project(
            delivery=s.project.delivery.model_copy(
                update={"variants": tuple(v.id for v in variants[:2]), "size": 64, "kit_size": 64}
            )
        ),
    )
    out = tmp_path / "out"
    hand.type_into(hand.find("Folder to deliver to", QLineEdit, bench), str(out))
    hand.find("Deliver", QPushButton, bench).click()
    hand.wait(lambda: (out / "ember_mr.png").is_file())
    names = {path.name for path in out.iterdir()}
    assert {"kit", "variants", "moth-lantern.glb", "ember_mr.png", "harbour-night_mr.png"} <= names
    assert (out / "kit" / "preview.html").stat().st_size > 10_000
    hand.wait(lambda: hand.find("Play it", QPushButton, bench).isEnabled())
    # What would change since then: nothing; one variant when a color of it is another.
    bench.pages.open("Changes")
    compare = hand.find("Compare", QPushButton, bench.since)
    compare.click()
    hand.wait(lambda: bench.since.list.count() == 2)
    assert bench.since.said.text() == "Nothing would change."
    paper = next(p for p in hand.session.state.project.parameters if p.name == "Paper tint")
    hand.session.apply("Bluer", lambda s: set_value(s, variants[1].id, paper.id, "#2244cc"))
    compare.click()
    hand.wait(lambda: bench.since.said.text() == "1 of 2 variants would change.")
    assert bench.since.list.item(0).text().startswith(f"{variants[1].name}: ")
    bench.since.list.setFocus()
    QTest.keyClick(bench.since.list, Qt.Key.Key_Down)
    hand.wait(lambda: flat_shows(hand) == "former")
    assert hand.session.state.project.active_variant in {v.id for v in variants[:2]}
    # The names of uniforms were noted with the delivery, which is no change of the artist's.
    assert "p_paper_tint" in hand.session.state.project.delivery.uniforms.values()
    assert not any("uniform" in label for label in hand.session.history.labels)
    for _ in range(8):
        if hand.session.state.project.delivery.layout:
            hand.keys("Ctrl+Z")
            hand.wait()
    assert not hand.session.state.project.delivery.layout
    bench.pages.open("Costs")
    hand.find("Measure", QPushButton, bench.costs).click()
    table = hand.find("Cost of the variants by the way to make them", QTableWidget, bench)
    hand.wait(lambda: table.rowCount() == 5)
    table.setFocus()
    table.setCurrentCell(0, 0)
    QTest.keyClick(table, Qt.Key.Key_Down)
    assert "stands" in bench.costs.said.text() or "once" in bench.costs.said.text()


def test_what_a_page_copies_is_pasted_as_a_variant(hand: Hand, tmp_path: Path) -> None:
    hand.session.set_station("variants")
    bench = hand.window.bench("variants")
    table = bench.findChild(QTableView)
    assert table is not None
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    before = hand.session.state.project.variants
    paper = next(p for p in hand.session.state.project.parameters if p.name == "Paper tint")
    clipboard.setText("Even Palette variant: Ember\np_paper_tint: #112233\np_nothing: 3\n")
    said: list[str] = []
    hand.session.said.connect(lambda text, _: said.append(text))
    table.setFocus()
    QTest.keyClick(table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    hand.wait(lambda: len(hand.session.state.project.variants) == len(before) + 1)
    made = hand.session.state.project.variants[-1]
    assert made.name.startswith("Ember")
    assert made.values == {paper.id: "#112233"}
    assert "'p_nothing' is no parameter (line 3)" in said[-1]
    # Copied and pasted, it is the same again.
    QTest.keyClick(table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert "p_paper_tint: #112233" in clipboard.text()
    QTest.keyClick(table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    hand.wait(lambda: len(hand.session.state.project.variants) == len(before) + 2)
    assert hand.session.state.project.variants[-1].values == made.values
    # A table for a spreadsheet comes back as one change.
    file = tmp_path / "values.csv"
    file.write_text("Variant,Paper tint\nEmber,#445566\n")
    bench.take_table(file)
    assert hand.session.state.project.variants[0].values[paper.id] == "#445566"
    file.write_text("Variant,Paper tint\nEmber,orange\n")
    bench.take_table(file)
    assert "Row 2, column Paper tint" in said[-1]
    hand.keys("Ctrl+Z")
    clipboard.setText("something else")
    QTest.keyClick(table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    hand.wait(lambda: "This is no variant" in said[-1])
    hand.keys("Ctrl+Z")
    hand.keys("Ctrl+Z")
    hand.wait(lambda: hand.session.state.project.variants == before)


def dropped(data: QMimeData, on: QWidget) -> None:
    """What was taken up is let go over the middle of a widget."""
    place = QPointF(on.rect().center())
    words = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    entered = QDragEnterEvent(place.toPoint(), *words)
    QApplication.sendEvent(on, entered)
    assert entered.isAccepted()
    QApplication.sendEvent(on, QDropEvent(place, *words))


def test_a_layout_is_made_from_nothing_by_dragging_kept_and_used_in_another_project(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("EVENPALETTE_LAYOUTS", str(tmp_path / "shelf"))
    hand.session.set_station("delivery")
    bench = hand.window.bench("delivery")
    bench.pages.open("Layout")
    page = bench.layout_page
    hand.find("Add a file", QPushButton, page).click()
    hand.wait(lambda: len(page.pictures) == 2)
    assert [c.source for c in page.file.channels] == ["attribute:base_color"]
    # A region of the ledger onto the free alpha; roughness of the list onto it instead; the region comes back.
    ledger, sources = hand.find("Regions", QListView), hand.find("What may lie in a channel", QListWidget, page)
    region = ledger.model().mimeData([ledger.model().index(0, 0)])
    dropped(region, page.pictures[1])
    hand.wait(lambda: page.file.channel_count == 4)
    rough = sources.mimeData(sources.findItems("Roughness", Qt.MatchFlag.MatchExactly))
    dropped(rough, page.pictures[1])
    hand.wait(lambda: page.file.channels[1].source == "attribute:roughness")
    hand.keys("Ctrl+Z")
    hand.wait(lambda: page.file.channels[1].source == "region:Paper")
    hand.wait(lambda: page.look is not None and len(page.look.channels) == 4)
    # What the picture shows is the region: white where it is, black elsewhere.
    shown = page.pictures[1].icon().pixmap(76, 76).toImage()
    colors = {shown.pixelColor(x, y).red() for x in range(0, 76, 6) for y in range(0, 76, 6)}
    assert {0, 255} <= colors
    assert all(picture.accessibleName() for picture in page.pictures)
    # A part of the values becomes all of them; what is no range is said.
    page.stretch(page.file.channels[1], "0.25 0.75")
    hand.wait(lambda: page.file.channels[1].range == (0.25, 0.75))
    assert "from 0.25 to 0.75" in page.pictures[1].accessibleName()
    said: list[str] = []
    hand.session.said.connect(lambda text, _: said.append(text))
    page.stretch(page.file.channels[1], "0.5")
    assert "not two numbers" in said[-1]
    page.stretch(page.file.channels[1], "0.5 0.5")
    assert "has nothing in it" in said[-1]
    page.stretch(page.file.channels[1], "0 1")
    hand.wait(lambda: page.file.channels[1].range is None)
    # The words of the sentence: KTX2 with blocks, of which the wipe shows what they leave; bytes beside it.
    page.set_file(format="ktx2")
    page.set_file(compression="bc7", mips=True)
    hand.wait(lambda: page.look is not None and page.look.worst)
    assert hand.find("The file before its blocks and as it is written", QWidget, page).isVisible()
    assert f"up to {max(page.look.worst)} codes off" in page.facts.text()
    size = hand.session.state.working.size
    assert page.look.memory == sum(
        max(1, -(-w // 4)) * max(1, -(-h // 4)) * 16 for w, h in (size_of(size, k) for k in range(11))
    )
    assert abs(page.look.disk - page.look.memory) < 1000
    page.set_file(compression="bc4")
    hand.wait(lambda: page.file.compression == "bc7")
    # Flat shows the file, until the page is left.
    assert flat_shows(hand) == "layout"
    bench.pages.open("recipe.glsl")
    hand.wait(lambda: flat_shows(hand) == "")
    bench.layout_choice.keep()
    assert [f.name for f in (tmp_path / "shelf").iterdir()] == ["moth-lantern.json"]
    layout = hand.session.state.project.delivery.layout
    while hand.session.state.project.delivery.layout:
        hand.keys("Ctrl+Z")
    bench.pages.open("Layout")
    hand.wait(lambda: not page.pictures)
    # In another project it lies on the shelf.
    opened: list[bool] = []
    monkeypatch.setattr(hand.window.project, "may_leave", lambda: True)
    hand.window.project.open_demo(into=tmp_path / "tin", then=lambda: opened.append(True), name="tea-tin")
    hand.wait(lambda: opened and hand.session.state.region_ids)
    kept, wrong = kept_layouts()
    assert [layout_text(one) for one in kept] == [layout]
    assert not wrong


def flat_shows(hand: Hand) -> str:
    """The picture that stands in for the texture in Flat."""
    return hand.window.views.shown.flat()[0][0].texture


def size_of(size: tuple[int, int], level: int) -> tuple[int, int]:
    return max(1, size[0] >> level), max(1, size[1] >> level)


def test_a_packed_texture_is_taken_apart_at_asset_by_a_line_of_a_layout(hand: Hand, tmp_path: Path) -> None:
    rng = np.random.default_rng(3)
    packed = rng.integers(0, 256, (8, 8, 3), np.uint8)
    Image.fromarray(packed).save(tmp_path / "strangers.png")
    hand.session.set_station("asset")
    bench = hand.window.bench("asset")
    before = len(hand.session.state.project.asset.textures)
    hand.session.run("In", lambda s, _: add_texture(s, read_image(tmp_path / "strangers.png"), "strangers.png"))
    hand.wait(lambda: len(hand.session.state.project.asset.textures) == before + 1)
    texture = hand.session.state.project.asset.textures[-1]
    line = LayoutFile(
        name="x",
        channels=(
            LayoutChannel(to="r", source="attribute:occlusion"),
            LayoutChannel(to="g", source="attribute:roughness", invert=True),
            LayoutChannel(to="b", source="constant:1"),
        ),
    )
    bench.table.take_apart(texture, line)
    hand.wait(lambda: len(hand.session.state.project.asset.textures) == before + 3)
    held = {
        t.role: hand.session.state.textures[t.id].pixels[..., 0] for t in hand.session.state.project.asset.textures[-2:]
    }
    assert np.array_equal(held[Role.OCCLUSION], packed[..., 0])
    assert np.array_equal(held[Role.ROUGHNESS], 255 - packed[..., 1])
    hand.keys("Ctrl+Z")
    hand.wait(lambda: len(hand.session.state.project.asset.textures) == before + 1)
    said: list[str] = []
    hand.session.said.connect(lambda text, _: said.append(text))
    bench.table.take_apart(texture, line.model_copy(update={"channels": line.channels[2:]}))
    hand.wait(lambda: said and "of none of strangers.png's channels" in said[-1])


def test_planes_of_the_kit_are_put_together_by_drag_by_menu_and_by_key(hand: Hand) -> None:
    hand.session.set_station("delivery")
    bench = hand.window.bench("delivery")
    bench.pages.open("Textures")
    page = bench.kit_page

    def lies(name: str) -> list[str]:
        """What lies beside a plane."""
        return next(names for names in shared() if name in names)

    def shared() -> list[list[str]]:
        return [[one.name for one in share.held] for share in kit_shares(hand.session.state)]

    def picture(name: str) -> QToolButton:
        hand.wait(lambda: any(p.accessibleName().startswith(f"{name}, in ") for p in page.pictures))
        return next(p for p in page.pictures if p.accessibleName().startswith(f"{name}, in "))

    first = shared()
    soot = "lantern-soot.png: r"
    assert soot not in lies("Paper")
    # One full texture onto another: the two change places.
    dropped(packed(picture("Paper").held.word), picture(soot))
    hand.wait(lambda: soot not in lies("Paper") and "lantern-occlusion.png: r" in lies("Paper"))
    assert "Frame" in lies(soot)
    # What blocks would leave is told as soon as it is measured.
    hand.wait(lambda: "BC7 changes it by" in picture("Paper").accessibleName())
    # By keys: alone, and back into a texture that has room.
    moth = picture("Moth")
    moth.setFocus()
    QTest.keyClick(moth, Qt.Key.Key_Delete)
    hand.wait(lambda: lies("Moth") == ["Moth"] and picture("Moth").hasFocus())
    assert hand.find("As few as can be", QPushButton, page).isVisible()
    room = next(number for number, names in enumerate(shared(), 1) if len(names) == 3 and "Moth" not in names)

    def choose_texture() -> None:
        menu = QApplication.activePopupWidget()
        if not isinstance(menu, QMenu):
            QTimer.singleShot(20, choose_texture)
            return
        menu.setActiveAction(next(a for a in menu.actions() if a.text().replace("&", "") == f"Into texture {room}"))
        QTest.keyClick(menu, Qt.Key.Key_Return)

    QTimer.singleShot(0, choose_texture)
    QTest.keyClick(picture("Moth"), Qt.Key.Key_Return)
    hand.wait(lambda: len(lies("Moth")) > 1)
    hand.find("As few as can be", QPushButton, page).click()
    hand.wait(lambda: shared() == first)
    for _ in range(4):
        hand.keys("Ctrl+Z")
    hand.wait(lambda: not hand.session.state.project.delivery.packing)
