"""The whole surface in the window: the one value editor in all its places, attributes in views, copies and time."""

from collections.abc import Callable

import numpy as np
import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QMenu, QPushButton, QSpinBox, QWidget

from evenpalette.app import theme
from evenpalette.app.stations.recipe.step_input import QInputDialog
from evenpalette.app.widgets.pick_dialog import PickDialog
from evenpalette.app.widgets.pixels import pixels_of
from evenpalette.app.widgets.value_editor import ValueEditor
from evenpalette.core.edits import recipe as edit
from evenpalette.core.placement import Placement
from evenpalette.core.recipe.pick import picked
from evenpalette.core.recipe.recipe import Step
from evenpalette.core.recipe.steps import KINDS
from tests.helpers.hand import Hand


def named(root: QWidget, name: str, kind: type = QWidget) -> QWidget:
    """The visible widget of this accessible name."""
    found = [w for w in root.findChildren(kind) if w.accessibleName() == name and w.isVisible()]
    assert found, f"nothing is called {name}"
    return found[0]


def editor(root: QWidget, name: str) -> ValueEditor:
    inner = named(root, name)
    parent = inner.parentWidget()
    assert isinstance(parent, ValueEditor)
    return parent


def when_open(kind: type, act: Callable[[QWidget], object]) -> None:
    """Do something to the next menu, popup or dialog of a kind."""

    def look() -> None:
        shown = QApplication.activePopupWidget() or QApplication.activeModalWidget()
        if isinstance(shown, kind):
            act(shown)
        else:
            QTimer.singleShot(20, look)

    QTimer.singleShot(0, look)


def choose(hand: Hand, line: ValueEditor, text: str) -> None:
    """Take an entry of the menu that stands beside a value."""
    card = line.parentWidget()
    assert card is not None
    links = [b for b in card.findChildren(QPushButton) if b.objectName() == "link" and b.isVisible()]
    beside = min(
        links,
        key=lambda b: (
            abs(b.geometry().center().y() - line.geometry().center().y()),
            abs(b.x() - line.geometry().right()),
        ),
    )

    def take(menu: QWidget) -> None:
        assert isinstance(menu, QMenu)
        action = next(a for a in menu.actions() if a.text().startswith(text))
        gray = menu.grab().toImage().convertToFormat(QImage.Format.Format_Grayscale8)
        # What can be chosen is as dark as all words are, not as pale as the link that it belongs to.
        ink = pixels_of(gray).min()
        menu.close()
        assert ink <= QColor(theme.INK).lightness()
        action.trigger()

    when_open(QMenu, take)
    QTest.mouseClick(beside, Qt.MouseButton.LeftButton)
    hand.wait()


def step(hand: Hand, step_id: str) -> Step:
    return edit.step_of(hand.session.state.project.recipe, step_id)


def pick_in(box: QComboBox, text: str) -> None:
    box.setCurrentIndex(box.findText(text))
    box.activated.emit(box.currentIndex())


def test_finish_by_row_with_starting_points_numbers_and_percent(hand: Hand) -> None:
    before = hand.form_and_flat()[0]
    hand.session.selection.select_step("step-finish")
    hand.wait()
    bench = hand.window.bench("recipe")
    row = step(hand, "step-finish").rows[0]
    assert row.inputs["roughness"].value == 0.5
    pick_in(named(bench, "Starting point", QComboBox), "Lacquer")  # type: ignore[arg-type]
    hand.wait()
    row = step(hand, "step-finish").rows[0]
    assert (row.inputs["coat"].value, row.inputs["metallic"].value) == (1.0, 0.0)
    field = editor(bench, "Roughness").findChild(QLineEdit)
    hand.type_into(field, "35%")
    assert step(hand, "step-finish").rows[0].inputs["roughness"].value == pytest.approx(0.35)
    # The paper takes the light in another way; its base color on Flat is what it was.
    hand.wait()
    after, flat = hand.form_and_flat()
    assert np.abs(after - before).max() > 10
    views = hand.window.views
    views.headers.flat_stage.setCurrentIndex(views.headers.flat_stage.findData("coat"))
    assert np.abs(hand.form_and_flat()[1] - flat).mean() > 20
    hand.keys("Ctrl+Z")
    hand.keys("Ctrl+Z")
    assert step(hand, "step-finish").rows[0].inputs["coat"].value == 0.0


def test_a_switch_becomes_a_parameter_that_variants_set(hand: Hand, monkeypatch: pytest.MonkeyPatch) -> None:
    hand.session.selection.select_step("step-soot")
    hand.wait()
    bench = hand.window.bench("recipe")
    switch = editor(bench, "Sets finish")
    QTest.mouseClick(switch.inner, Qt.MouseButton.LeftButton)
    assert step(hand, "step-soot").inputs["finish"].value is False
    QTest.keyClick(switch.inner, Qt.Key.Key_Space)
    assert step(hand, "step-soot").inputs["finish"].value is True
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Soot is matte", True))
    choose(hand, editor(bench, "Sets finish"), "Make it a parameter")
    parameter = next(p for p in hand.session.state.project.parameters if p.name == "Soot is matte")
    assert parameter.default is True
    # In the table of variants: the editor of its type opens, and one variant turns it off.
    hand.session.set_station("variants")
    hand.wait()
    table = hand.window.bench("variants").table
    line = [p.id for p in hand.session.state.project.parameters].index(parameter.id)
    index = table.model().index(line, 2)
    table.setCurrentIndex(index)
    table.setFocus()
    QTest.keyClick(table, Qt.Key.Key_F2)
    hand.wait(lambda: QApplication.activePopupWidget() is not None)
    popup = QApplication.activePopupWidget()
    QTest.mouseClick(editor(popup, "Soot is matte").inner, Qt.MouseButton.LeftButton)
    popup.close()
    hand.wait()
    variants = hand.session.state.project.variants
    assert [v.values.get(parameter.id) for v in variants[:3]] == [None, False, None]


def test_a_texture_is_laid_by_its_placement_and_drifts(hand: Hand) -> None:
    session = hand.session
    session.selection.select_region(session.state.region_ids[2])
    bench = hand.window.bench("recipe")
    bench.add("fill")
    hand.wait()
    fill = session.selection.step
    assert fill is not None
    painted = next(t.name for t in session.state.project.asset.textures if t.name == "lantern-painted.png")
    pick_in(named(bench, "Texture", QComboBox), painted)  # type: ignore[arg-type]
    hand.wait()
    laid = hand.form_and_flat()[1]
    place = editor(bench, "Laid")
    QTest.mouseClick(place.inner, Qt.MouseButton.LeftButton)
    popup = QApplication.activePopupWidget()
    assert popup is not None
    hand.type_into(named(popup, "Scale u").findChild(QLineEdit), "3")
    hand.type_into(named(popup, "Drift u per s").findChild(QLineEdit), "0.5")
    # A free part: what would leave the texture is cut.
    hand.type_into(named(popup, "Part, left").findChild(QLineEdit), "0.25")
    hand.type_into(named(popup, "Part, width").findChild(QLineEdit), "0.5")
    pick_in(named(popup, "Beyond the border", QComboBox), "Mirror")  # type: ignore[arg-type]
    popup.close()
    hand.wait()
    row = step(hand, fill).rows[0]
    assert Placement.parse(str(row.inputs["picture_placed"].value)) == Placement.parse(
        "scale=3,3; drift=0.5,0; wrap=mirror; part=0.25,0,0.5,1"
    )
    still = hand.form_and_flat()[1]
    assert np.abs(still - laid).max() > 30
    clock = hand.window.views.headers.clock
    assert clock.isVisible()
    clock.setChecked(True)
    hand.wait()
    first = hand.form_and_flat()[1]
    hand.wait(lambda: np.abs(hand.form_and_flat()[1] - first).max() > 20)
    clock.setChecked(False)
    hand.wait()
    assert np.abs(hand.form_and_flat()[1] - still).max() <= 1


def test_copies_pick_and_are_shown_one_by_one(hand: Hand) -> None:
    hand.session.selection.select_step("step-finish")
    hand.wait()
    bench = hand.window.bench("recipe")

    assert not hand.window.views.headers.copy.isVisible()

    def accept(dialog: QWidget) -> None:
        assert isinstance(dialog, PickDialog)
        assert dialog.pick.values == ()
        dialog.accept()

    # The menu comes first, then the dialog; each is answered when it opens.
    when_open(PickDialog, accept)
    choose(hand, editor(bench, "Roughness"), "Pick by copy")
    assert step(hand, "step-finish").rows[0].inputs["roughness"].pick is not None
    copy = named(hand.window, "Copy shown", QSpinBox)
    views = hand.window.views
    views.headers.flat_stage.setCurrentIndex(views.headers.flat_stage.findData("roughness"))
    pick = step(hand, "step-finish").rows[0].inputs["roughness"].pick
    assert pick is not None
    expected = [float(picked(pick, KINDS["finish"].input("roughness"), number)) for number in range(10)]
    seen = []
    for number in (int(np.argmin(expected)), int(np.argmax(expected))):
        copy.setValue(number)  # type: ignore[attr-defined]
        hand.wait()
        seen.append(hand.form_and_flat()[1])
    # Paper is four tenths of the texture: where there is no soot it shows the copy's own number.
    apart = (seen[1] - seen[0]).max(-1)
    assert np.percentile(apart, 90) == pytest.approx(255 * (max(expected) - min(expected)), rel=0.15)


def test_the_probe_reads_every_attribute_that_the_recipe_makes(hand: Hand) -> None:
    hand.window.views.set_pointer((0.25, 0.25))
    hand.wait(lambda: "final #" in hand.window.probe.text)
    text = hand.window.probe.text
    for word in ("metallic 0.00", "roughness 0.", "normal", "emissive", "coat"):
        assert word in text


def test_operations_use_the_same_editor(hand: Hand) -> None:
    hand.session.set_station("regions")
    hand.wait()
    bench = hand.window.bench("regions")
    bench.pages.open("Operations")
    bench.operations.add_kind("noise")
    hand.wait()
    cells = editor(bench, "Cells")
    hand.type_into(cells.findChild(QLineEdit), "12")
    hand.wait()
    region = hand.session.state.project.regions.regions[0]
    assert region.operations[0].settings["cells"] == 12
    combine = editor(bench, "Combine")
    pick_in(combine.inner, "subtract")  # type: ignore[arg-type]
    hand.wait()
    assert hand.session.state.project.regions.regions[0].operations[0].settings["meets"] == "subtract"
