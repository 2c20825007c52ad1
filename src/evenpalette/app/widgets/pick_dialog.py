"""A value that differs from copy to copy: its list or its range, its seed, and what the first copies get."""

import secrets
from collections.abc import Callable

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QRadioButton, QVBoxLayout, QWidget

from evenpalette.app import theme
from evenpalette.app.widgets.basics import button, clear, column, label, ok_or_cancel, row, tool
from evenpalette.app.widgets.color_editor import PickColor
from evenpalette.app.widgets.value_editor import ValueEditor
from evenpalette.core.document.state import State
from evenpalette.core.recipe.pick import picked
from evenpalette.core.recipe.recipe import Pick
from evenpalette.core.values import Input, Value, value_text

_MOST, _SHOWN = 12, 36


class _Copies(QWidget):
    """What the first copies get, as a row of fields with their numbers."""

    def __init__(self) -> None:
        super().__init__()
        self.values: list[Value] = []
        self.setMinimumSize(self.sizeHint())

    def sizeHint(self) -> QSize:
        return QSize(12 * 36, 3 * 26)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setFont(theme.font(theme.NOTE))
        for copy, value in enumerate(self.values):
            box = QRectF(copy % 12 * 36, copy // 12 * 26, 33, 22)
            is_color = isinstance(value, str) and value.startswith("#")
            painter.setPen(QPen(QColor("#8c8c8c"), 1))
            painter.setBrush(QColor(str(value)) if is_color else QColor(theme.RAISED))
            painter.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))
            if not is_color:
                text = f"{value:.2f}" if isinstance(value, float) else value_text(value)
                painter.setPen(QColor(theme.INK))
                text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 30)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


class PickDialog(QDialog):
    """Nothing is changed until it is accepted; `pick` is what was made."""

    def __init__(
        self, input: Input, pick: Pick | None, begin: Value, state: Callable[[], State], pick_color: PickColor | None,
        parent: QWidget,
    ) -> None:  # fmt: skip
        """begin: the value that the input has now. state: as `ValueEditor` takes it."""
        super().__init__(parent)
        self.setWindowTitle(f"{input.label} by copy")
        self._input, self._state, self._color = input, state, pick_color
        self._ranged = input.is_number
        self._seed = pick.seed if pick is not None else secrets.randbelow(10_000)
        self._values: list[Value] = list(pick.values) if pick is not None and pick.values else [begin, input.default]
        self._low = pick.low if pick is not None and not pick.values else input.low
        self._high = pick.high if pick is not None and not pick.values else input.high
        note = label(f"Every placed copy keeps one {input.label.lower()} for good, chosen by its number.", "note")
        self._by_range, self._by_list = QRadioButton("Any number between"), QRadioButton("One of these")
        is_list = not self._ranged or bool(pick is not None and pick.values)
        (self._by_list if is_list else self._by_range).setChecked(True)
        self._by_list.toggled.connect(lambda _: self._show())
        kinds = row(self._by_range, self._by_list, None)
        kinds.setVisible(self._ranged)
        self._lines = QVBoxLayout()
        self._lines.setSpacing(4)
        holder = QWidget()
        holder.setLayout(self._lines)
        self._lines.setContentsMargins(0, 0, 0, 0)
        self._add = button("Add", self._add_value, "link", "One more value", "plus")
        self._copies = _Copies()
        roll = button("Roll again", self._roll, icon="rotate-ccw", tip="Another seed")
        buttons = ok_or_cancel(self)
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addWidget(column(note, kinds, holder, row(self._add, None), spacing=6))
        layout.addWidget(row(label("The first copies", "note"), None, roll))
        layout.addWidget(self._copies)
        layout.addWidget(buttons)
        self._show()

    @property
    def pick(self) -> Pick:
        """What was made."""
        if self._by_list.isChecked():
            return Pick(values=tuple(self._values), seed=self._seed)
        return Pick(low=min(self._low, self._high), high=max(self._low, self._high), seed=self._seed)

    def _show(self) -> None:
        clear(self._lines)
        if self._by_list.isChecked():
            for place, value in enumerate(self._values):
                self._lines.addWidget(self._value_line(place, value))
        else:
            for name, low in (("Lowest", True), ("Highest", False)):
                editor = ValueEditor(self._input, self._state)
                editor.set_value(self._low if low else self._high)
                editor.edited.connect(lambda v, is_low=low: self._set_end(is_low, v))
                words = label(name)
                words.setFixedWidth(64)
                self._lines.addWidget(row(words, editor))
        self._add.setVisible(self._by_list.isChecked())
        self._add.setEnabled(len(self._values) < _MOST)
        self._refresh()

    def _value_line(self, place: int, value: Value) -> QWidget:
        editor = ValueEditor(self._input, self._state, pick=self._color)
        editor.set_value(value)
        editor.edited.connect(lambda v: self._set_value(place, v))
        words = label(str(place + 1), "note")
        words.setFixedWidth(16)
        remove = tool("x", f"Take value {place + 1} out", lambda: self._take_out(place))
        remove.setEnabled(len(self._values) > 1)
        return row(words, editor, None, remove)

    def _set_end(self, is_low: bool, value: float) -> None:
        if is_low:
            self._low = value
        else:
            self._high = value
        self._refresh()

    def _set_value(self, place: int, value: Value) -> None:
        self._values[place] = value
        self._refresh()

    def _add_value(self) -> None:
        self._values.append(self._values[-1])
        self._show()

    def _take_out(self, place: int) -> None:
        self._values.pop(place)
        self._show()

    def _roll(self) -> None:
        self._seed = secrets.randbelow(10_000)
        self._refresh()

    def _refresh(self) -> None:
        self._copies.values = [picked(self.pick, self._input, copy) for copy in range(_SHOWN)]
        self._copies.update()
