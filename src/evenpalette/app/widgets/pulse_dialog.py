"""A value that changes with time: between what, how, how fast."""

import numpy as np
from PyQt6.QtCore import QPointF, QSize
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QDialog, QGridLayout, QVBoxLayout, QWidget

from evenpalette.app import theme
from evenpalette.app.widgets.basics import caption, choice, label, ok_or_cancel
from evenpalette.app.widgets.color_editor import PickColor
from evenpalette.app.widgets.color_field import ColorField
from evenpalette.app.widgets.forms import slider, whole
from evenpalette.app.widgets.stops_field import StopsField
from evenpalette.core.recipe.pulse import share_at
from evenpalette.core.recipe.recipe import Pulse
from evenpalette.core.values import Input, Value, ValueType

_SHAPES = (("sine", "swells and fades"), ("steps", "goes up in steps"), ("curve", "follows a curve"))


class _Course(QWidget):
    """Two periods of a pulse as a line."""

    def __init__(self) -> None:
        super().__init__()
        self.pulse = Pulse()
        self.setMinimumSize(self.sizeHint())

    def sizeHint(self) -> QSize:
        return QSize(320, 64)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.RAISED))
        wide, high = self.width() - 8, self.height() - 12
        seconds = np.linspace(0, 2 * self.pulse.period, 240)
        points = [
            QPointF(4 + wide * k / 239, 6 + high * (1 - share_at(self.pulse, float(t)))) for k, t in enumerate(seconds)
        ]
        painter.setPen(QPen(QColor(theme.ACCENT), 2))
        painter.drawPolyline(QPolygonF(points))
        painter.setPen(QPen(QColor(theme.LINE), 1))
        painter.drawLine(4 + wide // 2, 2, 4 + wide // 2, self.height() - 2)


class PulseDialog(QDialog):
    """Nothing is changed until it is accepted; `pulse` is what was made."""

    def __init__(
        self, input: Input, pulse: Pulse | None, begin: Value, pick: PickColor | None, parent: QWidget
    ) -> None:
        """begin: the value that the input has now."""
        super().__init__(parent)
        self.setWindowTitle(f"{input.label} over time")
        self._is_color = input.type is ValueType.COLOR
        if pulse is None:
            first = str(begin) if self._is_color else "#000000"
            number = float(begin) if not self._is_color else 0.0
            pulse = Pulse(
                low=min(max(number, input.low), input.high),
                high=input.high,
                colors=(first, "#ffffff") if self._is_color else None,
            )
        self._colors = [ColorField(pick), ColorField(pick)]
        self._numbers = [
            slider(input.low, input.high, number, unit=input.unit, taken=lambda _: self._show())
            for number in (pulse.low, pulse.high)
        ]
        for field, color in zip(self._colors, pulse.colors or ("#000000", "#ffffff"), strict=True):
            field.set_color(color)
            field.edited.connect(lambda _: self._show())
        self.shape = choice(
            rows=[(words, key) for key, words in _SHAPES], now=pulse.shape, taken=lambda _: self._show()
        )
        self.period = slider(0.05, 60, pulse.period, decimals=2, curve=3.0, taken=lambda _: self._show())
        self.phase = slider(0, 1, pulse.phase, taken=lambda _: self._show())
        self._steps = whole("Steps", 2, 16, pulse.steps, taken=lambda _: self._show())
        self._curve_text = pulse.curve
        self._curve = StopsField()
        self._curve.set_stops(pulse.curve)
        self._curve.edited.connect(self._take_curve)
        self._course = _Course()
        grid = QGridLayout()
        ends = self._colors if self._is_color else self._numbers
        self._lines: dict[str, tuple[QWidget, QWidget]] = {}
        for line, (words, widget) in enumerate((
            ("From", ends[0]), ("To", ends[1]), ("It", self.shape), ("Steps", self._steps), ("Curve", self._curve),
            ("Period, seconds", self.period), ("Begins at", self.phase),
        )):  # fmt: skip
            self._lines[words] = caption(words, widget), widget
            grid.addWidget(self._lines[words][0], line, 0)
            grid.addWidget(widget, line, 1)
        buttons = ok_or_cancel(self)
        layout = QVBoxLayout(self)
        layout.addWidget(label("Two periods; the play button on Form lets time run.", "note"))
        layout.addWidget(self._course)
        layout.addLayout(grid)
        layout.addWidget(buttons)
        self._show()

    @property
    def pulse(self) -> Pulse:
        """What the controls say."""
        return Pulse(
            shape=self.shape.currentData(), low=self._numbers[0].value, high=self._numbers[1].value, period=max(0.05, self.period.value),
            phase=self.phase.value, steps=self._steps.value(), curve=self._curve_text,
            colors=(self._colors[0].color, self._colors[1].color) if self._is_color else None,
        )  # fmt: skip

    def _take_curve(self, text: str) -> None:
        self._curve_text = text
        self._show()

    def _show(self) -> None:
        shape = self.shape.currentData()
        for words, wanted in (("Steps", "steps"), ("Curve", "curve")):
            for widget in self._lines[words]:
                widget.setVisible(shape == wanted)
        self._course.pulse = self.pulse
        self._course.update()
        self.adjustSize()
