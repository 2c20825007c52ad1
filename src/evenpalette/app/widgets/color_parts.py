"""What a color is shown and typed with: a swatch, its hex digits, how it lies over a tone."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import (
    QAbstractButton,
    QLineEdit,
    QWidget,
)

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.widgets.color_drag import carry, is_far, take
from evenpalette.core.color.hexcode import hex_to_linear, linear_to_hex, normalize_hex
from evenpalette.core.errors import EvenPaletteError


class OverTone(QWidget):
    """A color as it comes out over a tone: from black to the color itself, and at the tone's mean."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(24)
        self._color, self._gray = "#ffffff", 0.5

    def show_color(self, color: str, gray: float) -> None:
        """Show a color over a tone of this mean linear gray."""
        self._color, self._gray = color, gray
        out = linear_to_hex((hex_to_linear(color) * np.float32(gray)).astype(np.float32))
        words = f"Over the tone it comes out as {out} on average; the brightest tone gives {color}"
        self.setToolTip(plain(words))
        self.setAccessibleName(words)
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        tint = hex_to_linear(self._color)
        wide = self.width() - 60
        for step in range(48):
            gray = ((step + 0.5) / 48) ** 2.2
            painter.fillRect(
                QRectF(step / 48 * wide, 3, wide / 48 + 1, 18),
                QColor(linear_to_hex((tint * np.float32(gray)).astype(np.float32))),
            )
        place = self._gray ** (1 / 2.2) * wide
        painter.setPen(QPen(QColor("#ffffff"), 1))
        painter.drawLine(round(place), 2, round(place), 22)
        painter.setPen(QPen(QColor("#8c8c8c"), 1))
        painter.setBrush(QColor(linear_to_hex((tint * np.float32(self._gray)).astype(np.float32))))
        painter.drawRect(QRectF(wide + 12, 2.5, 44, 19))


class Swatch(QAbstractButton):
    """A square of one color, from which it can be dragged away; `dropped` with one that was dragged here."""

    dropped = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None, size: tuple[int, int] = (30, 22)) -> None:
        super().__init__(parent)
        self.color = "#ffffff"
        self._press: QPointF | None = None
        self.setFixedSize(*size)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAcceptDrops(True)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._press = event.position()
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons() & Qt.MouseButton.LeftButton and is_far(self._press, event.position()):
            self._press = None
            self.setDown(False)
            carry(self, self.color)
        else:
            super().mouseMoveEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        take(event, self)

    def dropEvent(self, event: QDropEvent | None) -> None:
        if (color := take(event, self)) is not None:
            self.dropped.emit(color)

    def set_color(self, color: str) -> None:
        """Show a color."""
        self.color = color
        self.setToolTip(plain(color))
        self.update()

    def sizeHint(self) -> QSize:
        return self.size()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(theme.ACCENT if self.hasFocus() else "#8c8c8c"), 2 if self.hasFocus() else 1))
        painter.setBrush(QColor(self.color))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)


class HexEdit(QLineEdit):
    """Six hex digits; `entered` when they make a color, a red frame while they do not."""

    entered = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(74)
        self.setMaxLength(9)
        self._color = "#ffffff"
        self.editingFinished.connect(self._finish)
        self.textEdited.connect(self._check)

    def set_color(self, color: str) -> None:
        """Show a color, unless one is being typed."""
        self._color = color
        if not (self.hasFocus() and self.isModified()):
            self.setText(color)
            self._mark(False)

    def _mark(self, bad: bool) -> None:
        if self.property("bad") != bad:
            self.setProperty("bad", bad)
            self.style().unpolish(self)  # type: ignore[union-attr]
            self.style().polish(self)  # type: ignore[union-attr]

    def _check(self, text: str) -> None:
        try:
            normalize_hex(text)
            self._mark(False)
        except EvenPaletteError:
            self._mark(True)

    def _finish(self) -> None:
        if not self.isModified():
            return
        self.setModified(False)
        try:
            color = normalize_hex(self.text())
        except EvenPaletteError:
            color = self._color
        self._mark(False)
        self.setText(color)
        if color != self._color:
            self._color = color
            self.entered.emit(color)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and self.isModified():
            self.setModified(False)
            self.setText(self._color)
            self._mark(False)
            return
        super().keyPressEvent(event)
