"""Rows on the cards and divisions in the ledger, worked as an artist works them."""

import shutil
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QMimeData, QPointF, Qt, QTimer
from PyQt6.QtGui import QColor, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QMenu, QPushButton

from evenpalette.app.stations.recipe.row_strips import RowStrip
from evenpalette.app.stations.recipe.step_cards import OpenCard
from evenpalette.app.stations.regions.random_shares_dialog import ChanceDialog
from evenpalette.app.widgets.value_editor import ValueEditor
from evenpalette.core.edits import recipe as edit
from evenpalette.core.placement import Placement
from evenpalette.core.storage.storage import Storage
from evenpalette.core.values import Input, Value, ValueType
from evenpalette.gpu.look import Show
from tests.helpers.hand import Hand

VERSION_1 = Path(__file__).parents[1] / "data" / "version-1" / "moth-lantern"


def card(hand: Hand) -> OpenCard:
    return hand.window.bench("recipe").findChild(OpenCard)


def strips(hand: Hand) -> list[RowStrip]:
    return [strip for strip in card(hand).findChildren(RowStrip) if strip.accessibleName().startswith("Row ")]


def choose_in_menu(*texts: str) -> None:
    """Pick these entries, one menu after the other."""

    def look(left: tuple[str, ...]) -> None:
        menu = QApplication.activePopupWidget()
        if not isinstance(menu, QMenu):
            QTimer.singleShot(20, lambda: look(left))
            return
        action = next(a for a in menu.actions() if a.text().startswith(left[0]))
        menu.close()
        action.trigger()
        if left[1:]:
            QTimer.singleShot(20, lambda: look(left[1:]))

    QTimer.singleShot(0, lambda: look(texts))


def press(hand: Hand, text: str) -> None:
    button = next(b for b in card(hand).findChildren(QPushButton) if b.text() == text)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_seven_tints_of_version_1_are_one_card_whose_rows_are_worked(empty: Hand, tmp_path: Path) -> None:
    hand = empty
    folder = tmp_path / "old"
    shutil.copytree(VERSION_1, folder)
    hand.window.project.open_path(folder)
    hand.wait(lambda: hand.session.station == "recipe")
    session = hand.session
    # The history says what became of the steps; the card has seven rows.
    assert "7 Tint steps became one with rows" in session.history.labels[0]
    tint = session.state.project.recipe.steps[0]
    assert [len(step.rows) for step in session.state.project.recipe.steps[:2]] == [7, 1]
    session.selection.select_step(tint.id)
    assert len(strips(hand)) == 7
    # A region that is clicked in a view chooses its row.
    QTest.mouseClick(hand.window.views, Qt.MouseButton.LeftButton, pos=hand.at_uv(0.8, 0.4))
    cap = session.selection.region
    assert session.state.project.regions.find(cap).name == "Cap"
    assert tint.row(session.selection.row).regions == (cap,)
    # One swatch is changed by dropping another's color on it: its region follows, and no other.
    flat = hand.form_and_flat()[1]
    first, third = strips(hand)[0], strips(hand)[2]
    data = QMimeData()
    data.setColorData(QColor(first.look.color))
    drop = QDropEvent(
        QPointF(5, 5), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    third.dropEvent(drop)
    assert strips(hand)[2].look.color == strips(hand)[0].look.color
    changed = np.abs(hand.form_and_flat()[1] - flat).max(-1) > 8
    assert 0.02 < changed.mean() < 0.2
    # Two regions to one row: the row of the second goes.
    session.selection.select_row(tint.rows[0].id)
    choose_in_menu("3  Cap")
    press(hand, "Regions ...")
    rows = session.state.project.recipe.steps[0].rows
    assert len(rows) == 6
    assert len(rows[0].regions) == 2
    assert len(strips(hand)) == 6
    # A row for the region that has none now, then all of it undone.
    choose_in_menu("3  Cap")
    press(hand, "Regions ...")
    session.selection.select_region(cap)
    press(hand, "Add row")
    assert session.state.project.recipe.steps[0].rows[-1].regions == (cap,)
    QTest.keyClick(strips(hand)[-1], Qt.Key.Key_Delete)
    assert len(session.state.project.recipe.steps[0].rows) == 6
    while session.history.position:
        hand.keys("Ctrl+Z")
    assert np.abs(hand.form_and_flat()[1] - flat).max() <= 1
    # It is saved as version 2 and opens as it is.
    session.save(tmp_path / "new")
    hand.wait(lambda: session.saving.is_idle)
    assert Storage(tmp_path / "new").open().project == session.state.project


def test_a_value_is_shared_by_all_rows_or_each_has_its_own(hand: Hand) -> None:
    session = hand.session
    tint = session.state.project.recipe.steps[0]
    session.selection.select_step(tint.id)
    detail = next(made for made in card(hand).rows if made.input.key == "detail")
    hand.type_into(detail.editor.inner.field, "0.5")
    steps = session.state.bound_steps(None)
    assert {row.values["detail"] for row in steps[0].rows} == {0.5}
    choose_in_menu("Each row its own")
    QTest.mouseClick(detail.source, Qt.MouseButton.LeftButton)
    detail = next(made for made in card(hand).rows if made.input.key == "detail")
    assert detail.row_id == session.selection.row
    hand.type_into(detail.editor.inner.field, "1")
    assert sorted(row.values["detail"] for row in session.state.bound_steps(None)[0].rows) == [0.5] * 6 + [1.0]
    # One parameter for several rows: the name says in how many places it is followed.
    strip = strips(hand)[1]
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton)
    color = next(made for made in card(hand).rows if made.input.key == "color")
    choose_in_menu("Use the parameter")
    shared = tint.rows[0].inputs["color"]
    session.apply("bind", lambda s: edit.bind_input(s, tint.id, "color", shared, color.row_id))
    assert strips(hand)[1].look.follows == strips(hand)[0].look.follows == "Paper tint"


def test_shells_by_chance_are_a_division_of_their_own_and_the_picture_stays(hand: Hand) -> None:
    session, window = hand.session, hand.window
    _, before = hand.form_and_flat()
    hand.keys("Alt+2")
    dialog = ChanceDialog(session, window)
    dialog.percentages.setText("50, 50")
    assert dialog.into.currentText() == "A division of their own, By chance"
    dialog.share()
    hand.wait(lambda: len(session.state.project.regions.divisions) == 2)
    hand.keys("Alt+4")
    assert np.abs(hand.form_and_flat()[1] - before).max() <= 1
    # The ledger shows both divisions under headings, which fold.
    model = window.ledger.model
    names = [model.data(model.index(i), Qt.ItemDataRole.DisplayRole) for i in range(model.rowCount())]
    assert names[0] == "Parts"
    assert names[8:] == ["By chance", "Share 1", "Share 2"]
    window.ledger.list.clicked.emit(model.index(0))
    assert model.rowCount() == 4
    # A second step shifts hues by share, and only there.
    share = session.state.region_ids[7]
    session.selection.select_region(share)
    window.bench("recipe").add("hue_shift")
    angle = next(made for made in card(hand).rows if made.input.key == "angle")
    hand.type_into(angle.editor.inner.field, "90")
    changed = np.abs(hand.form_and_flat()[1] - before).max(-1) > 6
    views = window.views
    views.headers.flat_stage.setCurrentIndex(views.headers.flat_stage.findData(Show.COVERAGE))
    window.views.set_pointer(None)
    covered = hand.form_and_flat()[1][..., 0] > 128
    assert (changed & ~covered).mean() < 0.02
    assert (changed & covered).sum() > 0.3 * covered.sum()
    # A row takes regions of one division only, said in words.
    row = session.state.project.recipe.step(session.selection.step).rows[0].id
    step = session.selection.step
    ids = session.state.region_ids
    assert not session.apply("mixed", lambda s: edit.set_row_regions(s, step, row, (ids[0], ids[7])))
    assert "one division" in window.probe.text


def test_rows_are_worked_by_keyboard(hand: Hand) -> None:
    session = hand.session
    session.selection.select_step(session.state.project.recipe.steps[0].id)
    strips(hand)[0].setFocus()
    QTest.keyClick(strips(hand)[0], Qt.Key.Key_Down)
    assert session.selection.row == session.state.project.recipe.steps[0].rows[1].id
    choose_in_menu("Duplicate")
    QTest.keyClick(strips(hand)[1], Qt.Key.Key_Menu)
    assert len(session.state.project.recipe.steps[0].rows) == 8
    hand.wait(lambda: any(f.code == "no-region" for f in session.watch.findings))


def test_values_of_every_type_are_shown_and_tell_nothing_of_it(hand: Hand) -> None:
    """What edits a type lies in a table of the window's; a type that is new in the core must be in it."""
    state = hand.session.state
    region, texture = state.project.regions.regions[0].id, state.project.asset.textures[0].id
    shown: dict[ValueType, Value] = {
        ValueType.COLOR: "#2266aa", ValueType.NUMBER: 0.25, ValueType.INTEGER: 1.0, ValueType.SWITCH: True,
        ValueType.CHOICE: "two", ValueType.REGION: region, ValueType.TEXTURE: texture, ValueType.CHANNEL: f"{texture}:0",
        ValueType.STOPS: "0:0, 1:0.5", ValueType.PLACEMENT: str(Placement(scale=(2.0, 2.0))), ValueType.VECTOR: "0.5, 0.25",
    }  # fmt: skip
    told: list[object] = []
    for type in ValueType:
        choices = {ValueType.CHOICE: ("one", "two"), ValueType.VECTOR: ("x", "y")}.get(type, ())
        wanted = Input("it", "It", type, shown[type], choices=choices, description="What it is")
        editor = ValueEditor(wanted, lambda: hand.session.state)
        editor.edited.connect(told.append)
        editor.finished.connect(lambda: told.append("finished"))
        editor.set_value(wanted.accept(shown[type]))
        box = editor.findChild(QComboBox)
        assert box is None or type is ValueType.PLACEMENT or box.currentData() == shown[type]
        assert editor.focusProxy().accessibleName() == "It"
    assert told == []
