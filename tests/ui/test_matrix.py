"""The matrix by keyboard and pointer: many values at once, locks, harmonies, the clipboard, reviews."""

from itertools import pairwise

from PyQt6.QtCore import QItemSelectionModel, QMimeData, Qt, QTimer
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QDialog, QLineEdit

from evenpalette.app.matrix import Matrix
from evenpalette.app.matrix.dialogs import FillDialog, HarmonyDialog, NoteDialog
from evenpalette.core.variants.harmony import OPPOSITE, lch_of
from tests.helpers.hand import Hand, choose


def opened(hand: Hand) -> Matrix:
    hand.session.set_station("variants")
    hand.wait()
    hand.window.bench("variants")
    hand.keys("X")
    matrix = hand.window.matrix
    assert matrix.isVisible()
    hand.wait(matrix.table.hasFocus)
    return matrix


def cells(matrix: Matrix, *places: tuple[int, int]) -> None:
    """Choose cells, the last one as the current."""
    selection = matrix.table.selectionModel()
    matrix.table.setFocus()
    first = QItemSelectionModel.SelectionFlag.ClearAndSelect
    selection.setCurrentIndex(matrix.model.index(*places[0]), first)
    for place in places[1:]:
        selection.setCurrentIndex(matrix.model.index(*place), QItemSelectionModel.SelectionFlag.Select)


def answer(kind: type[QDialog], do) -> None:  # type: ignore[no-untyped-def]
    """When a dialog of this kind is open, do something to it and accept it."""

    def look() -> None:
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, kind):
            QTimer.singleShot(20, look)
            return
        do(dialog)
        dialog.accept()

    QTimer.singleShot(0, look)


def test_one_value_for_many_variants_and_back(hand: Hand) -> None:
    matrix = opened(hand)
    state = hand.session.state
    key = state.project.parameters[0].id
    cells(matrix, (3, 0), (4, 0), (5, 0))
    QTest.keyClick(matrix.table, Qt.Key.Key_Return)
    editor = QApplication.activePopupWidget()
    assert editor is not None
    field = next(w for w in editor.findChildren(QLineEdit) if w.text().startswith("#"))
    hand.type_into(field, "#224466")
    editor.close()
    chosen = [line.id for line in matrix.model.lines[3:6]]
    assert [hand.session.state.values(v)[key] for v in chosen] == ["#224466"] * 3
    hand.session.undo()
    assert hand.session.state.project == state.project
    # Del lets values follow the parent; a locked column stays.
    own = next(k for k, line in enumerate(matrix.model.lines) if line.variant and key in line.variant.values)
    cells(matrix, (own, 0))
    QTest.keyClick(matrix.table, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    assert hand.session.state.project.locked == (key,)
    QTest.keyClick(matrix.table, Qt.Key.Key_Delete)
    assert matrix.model.is_own(own, 0)
    QTest.keyClick(matrix.table, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(matrix.table, Qt.Key.Key_Delete)
    assert not matrix.model.is_own(own, 0)
    assert not matrix.model.differs(own, 0)
    QTest.keyClick(matrix.table, Qt.Key.Key_Escape)
    assert not matrix.isVisible()


def test_lines_are_sorted_found_and_brought_together(hand: Hand) -> None:
    matrix = opened(hand)
    names = [line.name for line in matrix.model.lines]
    matrix.sort_by(0)

    def hues() -> list[float]:
        lch = [lch_of(str(matrix.model.value(k, 0))) for k in range(1, len(names))]
        return [float(hue) for _, chroma, hue in lch if chroma >= 0.02]

    assert hues() == sorted(hues())
    matrix.sort_by(0)
    assert hues() == sorted(hues(), reverse=True)
    matrix.sort_by(0)
    assert [line.name for line in matrix.model.lines] == names
    hand.find("Name or note", QLineEdit, matrix).setText("night")
    assert all("night" in line.name.lower() for line in matrix.model.lines)
    assert len(matrix.model.lines) >= 2
    hand.find("Name or note", QLineEdit, matrix).clear()
    choose(hand.find("Brought together", QComboBox, matrix), "parent")
    groups = [line.group for line in matrix.model.lines[1:]]
    assert len(set(groups)) > 1
    assert sum(a != b for a, b in pairwise(groups)) == len(set(groups)) - 1
    choose(hand.find("Brought together", QComboBox, matrix), "order")


def test_harmony_fill_and_marks(hand: Hand) -> None:
    matrix = opened(hand)
    state = hand.session.state
    cells(matrix, (1, 1), (1, 2), (1, 0))
    first, others = matrix.model.value(1, 0), [1, 2]
    answer(HarmonyDialog, lambda dialog: choose(dialog.way, OPPOSITE))
    QTest.keyClick(matrix.table, Qt.Key.Key_H)
    hand.wait()
    hue = float(lch_of(str(first))[2]) + 180
    for column in others:
        turned = abs((float(lch_of(str(matrix.model.value(1, column)))[2]) - hue + 180) % 360 - 180)
        assert turned < 4
    assert matrix.model.value(1, 0) == first
    count = len(matrix.model.lines)
    cells(matrix, (1, 0), (5, 0))
    answer(FillDialog, lambda dialog: dialog.count.setValue(3))
    QTest.keyClick(matrix.table, Qt.Key.Key_B)
    assert len(matrix.model.lines) == count + 3
    assert matrix.model.lines[2].name == f"{matrix.model.lines[1].name} to {matrix.model.lines[8].name} 1"
    cells(matrix, (3, 0))
    answer(NoteDialog, lambda dialog: (choose(dialog.mark, "drop"), dialog.note.setPlainText("too near")))
    QTest.keyClick(matrix.table, Qt.Key.Key_M)
    variant = matrix.model.lines[3].variant
    assert variant is not None
    assert (variant.mark, variant.note) == ("drop", "too near")
    choose(hand.find("Which variants", QComboBox, matrix), "drop")
    assert [line.id for line in matrix.model.lines] == [variant.id]
    choose(hand.find("Which variants", QComboBox, matrix), "all")
    assert hand.session.state.project.variants != state.project.variants


def test_what_is_pasted_is_colors_a_picture_or_a_review(hand: Hand) -> None:
    matrix = opened(hand)
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    cells(matrix, (2, 1))
    clipboard.setText("#010203, rgb(16, 32, 48)")
    QTest.keyClick(matrix.table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert [matrix.model.value(2, column) for column in (1, 2)] == ["#010203", "#102030"]
    image = QImage(40, 40, QImage.Format.Format_RGB888)
    image.fill(QColor("#c02020"))
    for x in range(10):
        for y in range(40):
            image.setPixelColor(x, y, QColor("#2020c0"))
    data = QMimeData()
    data.setImageData(image)
    clipboard.setMimeData(data)
    cells(matrix, (3, 0))
    QTest.keyClick(matrix.table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    hand.wait(lambda: matrix.model.value(3, 0) == "#c02020")
    assert matrix.model.value(3, 1) == "#2020c0"
    names = [v.name for v in hand.session.state.project.variants]
    clipboard.setText(f"Even Palette review: Moth Lantern\n{names[0]}: keep, as it is\n{names[2]}: change")
    QTest.keyClick(matrix.table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert [v.mark for v in hand.session.state.project.variants[:3]] == ["keep", "", "change"]
    cells(matrix, (1, 0), (1, 1), (2, 0))
    QTest.keyClick(matrix.table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert len(clipboard.text().splitlines()) == 2
    assert clipboard.text().splitlines()[0].count("\t") == 1
