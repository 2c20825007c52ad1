"""What leaves the house, by hand: forms, a layout, what it costs, and a variant that comes back from a page."""

import json
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QCheckBox, QLineEdit, QPushButton, QTableView, QTableWidget

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
    bench.take_layout(file)
    assert json.loads(hand.session.state.project.delivery.layout)["name"] == "Packed"
    said: list[str] = []
    hand.session.said.connect(lambda text, _: said.append(text))
    bench.take_layout(tmp_path / "nothing.json")
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
    hand.keys("Ctrl+Z")
    hand.keys("Ctrl+Z")
    hand.wait()
    assert not hand.session.state.project.delivery.layout
    bench.pages.open("What it costs")
    hand.find("Measure", QPushButton, bench.costs).click()
    table = hand.find("Cost of the variants by the way to make them", QTableWidget, bench)
    hand.wait(lambda: table.rowCount() == 4)
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


def test_a_layout_is_made_from_nothing_channel_by_channel_and_undone(hand: Hand) -> None:
    hand.session.set_station("delivery")
    bench = hand.window.bench("delivery")
    bench.pages.open("Layout")
    page = bench.layout_page
    hand.find("Add a file", QPushButton, page).click()
    hand.wait(lambda: len(page.pictures) == 2)
    assert [c.source for c in page.file.channels] == ["attribute:base_color"]
    page.put(None, "attribute:roughness")
    page.put(page.file.channels[1], "region:Paper")
    hand.wait(lambda: all(not picture.icon().isNull() for picture in page.pictures))
    assert [(c.to, c.source) for c in page.file.channels] == [("rgb", "attribute:base_color"), ("a", "region:Paper")]
    # What a picture shows is the region: white where it is, black elsewhere.
    shown = page.pictures[1].icon().pixmap(96, 96).toImage()
    colors = {shown.pixelColor(x, y).red() for x in range(0, 96, 8) for y in range(0, 96, 8)}
    assert {0, 255} <= colors
    assert all(picture.accessibleName() for picture in page.pictures)
    for _ in range(3):
        hand.keys("Ctrl+Z")
    hand.wait(lambda: not hand.session.state.project.delivery.layout)
    hand.wait(lambda: not page.pictures)
