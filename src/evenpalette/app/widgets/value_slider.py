"""A slider that also takes typed numbers, with reset."""

import math

from PyQt6.QtCore import QObject, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QSizePolicy, QWidget

from evenpalette.app import theme
from evenpalette.app.widgets.dragged import Dragged
from evenpalette.core.errors import ValueProblem
from evenpalette.core.values import ValueType, parse_value

#: The unit of numbers of 0 to 1 that may be read as percent.
SHARE = "share"


class _ShareDisplay(QObject):
    """How shares are read: as 0 to 1, or as percent. One choice for all sliders."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.percent = False

    def set_percent(self, percent: bool) -> None:
        """Read them so from now on."""
        self.percent = percent
        self.changed.emit()


share_display = _ShareDisplay()


class _Track(Dragged):
    """The sliding part; gives shares 0..1."""

    moved = pyqtSignal(float)
    reset = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.share = 0.0
        self.mark: float | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumSize(72, 24)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(128, 24)

    def _x(self, share: float) -> float:
        return 8 + share * (self.width() - 16)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, knob = self.height() / 2, self._x(self.share)
        enabled = self.isEnabled()
        painter.setPen(QPen(QColor("#c9c9c9"), 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(8, middle), QPointF(self.width() - 8, middle))
        start = self._x(self.mark) if self.mark is not None else self._x(0)
        painter.setPen(QPen(QColor("#4a4a4a" if enabled else "#b0b0b0"), 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(start, middle), QPointF(knob, middle))
        painter.setPen(QPen(QColor(theme.ACCENT if self.hasFocus() else "#4a4a4a" if enabled else "#b0b0b0"), 2))
        painter.setBrush(QColor(theme.RAISED))
        painter.drawEllipse(QRectF(knob - 6, middle - 6, 12, 12))

    def mouseDoubleClickEvent(self, _: QMouseEvent | None) -> None:
        self.reset.emit()

    def follow(self, place: QPointF) -> None:
        self.moved.emit(min(1.0, max(0.0, (place.x() - 8) / max(1, self.width() - 16))))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        fine = 0.001 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.01
        steps = {
            Qt.Key.Key_Left: -fine, Qt.Key.Key_Down: -fine, Qt.Key.Key_Right: fine, Qt.Key.Key_Up: fine,
            Qt.Key.Key_PageDown: -0.1, Qt.Key.Key_PageUp: 0.1, Qt.Key.Key_Home: -1.0, Qt.Key.Key_End: 1.0,
        }  # fmt: skip
        if event.key() in steps:
            self.moved.emit(min(1.0, max(0.0, self.share + steps[Qt.Key(event.key())])))
            self.released.emit()
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.reset.emit()
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if not self.hasFocus():
            event.ignore()
            return
        self.moved.emit(min(1.0, max(0.0, self.share + math.copysign(0.01, event.angleDelta().y()))))
        self.released.emit()
        event.accept()


class ValueSlider(QWidget):
    """A ranged number. `edited` while it moves, `finished` when a move is over, `reset` on double click or Delete."""

    edited = pyqtSignal(float)
    finished = pyqtSignal()
    reset = pyqtSignal()

    def __init__(
        self, low: float, high: float, unit: str = "", parent: QWidget | None = None, decimals: int | None = None,
        *, curve: float = 1.0,
    ) -> None:  # fmt: skip
        """curve: above 1 gives small values more of the track."""
        super().__init__(parent)
        self._curve = curve
        self.low, self.high, self.unit = low, high, unit
        span = high - low
        self._decimals = decimals if decimals is not None else 2 if span <= 10 else 1 if span <= 100 else 0
        self._value = low
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self.track = _Track(self)
        self.field = QLineEdit(self)
        self.field.setFixedWidth(58)
        self.field.setAlignment(Qt.AlignmentFlag.AlignRight)
        layout.addWidget(self.track, 1)
        layout.addWidget(self.field)
        self.setFocusProxy(self.track)
        self.track.moved.connect(lambda share: self._move(self.low + share**self._curve * (self.high - self.low)))
        self.track.released.connect(self.finished)
        self.track.reset.connect(self.reset)
        self.field.editingFinished.connect(self._typed)
        if unit == SHARE:
            share_display.changed.connect(self._show_again)

    @property
    def value(self) -> float:
        """The number shown."""
        return self._value

    def set_range(self, low: float, high: float) -> None:
        """Another range; the value is shown inside it."""
        self.low, self.high = low, high
        self.set_value(self._value)

    def set_value(self, value: float, default: float | None = None) -> None:
        """Show a number, and where its default lies; nothing is emitted."""
        self._value = value
        span = (self.high - self.low) or 1.0
        self.track.share = min(1.0, max(0.0, (value - self.low) / span)) ** (1 / self._curve)
        zero = 0.0 if self.low < 0 < self.high else None
        self.track.mark = (zero - self.low) / span if zero is not None else None
        if not self.field.hasFocus() or not self.field.isModified():
            self.field.setText(self._text(value))
            self.field.setProperty("bad", False)
        self.track.update()

    def _show_again(self) -> None:
        self.set_value(self._value)

    def _text(self, value: float) -> str:
        if self.unit == SHARE:
            return f"{value * 100:.0f}%" if share_display.percent else f"{value:.{self._decimals}f}"
        return f"{value:.{self._decimals}f}{self.unit}"

    def _move(self, value: float) -> None:
        rounded = round(value, self._decimals + 1)
        if rounded != self._value:
            self.set_value(rounded)
            self.edited.emit(rounded)

    def _typed(self) -> None:
        if not self.field.isModified():
            return
        self.field.setModified(False)
        try:
            value = min(max(float(parse_value(self.field.text(), ValueType.NUMBER, self.unit)), self.low), self.high)
        except ValueProblem:
            value = self._value
        if not math.isfinite(value):
            value = self._value
        changed = value != self._value
        self.set_value(value)
        if changed:
            self.edited.emit(value)
            self.finished.emit()
