"""A small on/off switch."""

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from evenpalette.app import theme


class Switch(QWidget):
    """Emits `toggled` when the user turns it."""

    toggled = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self._on = False
        self.setFixedSize(30, 20)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    @property
    def is_on(self) -> bool:
        """Whether it is on."""
        return self._on

    def set_on(self, on: bool) -> None:
        """Show a state; nothing is emitted."""
        self._on = on
        self.update()

    def _flip(self) -> None:
        self.set_on(not self._on)
        self.toggled.emit(self._on)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._flip()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return):
            self._flip()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(3, 4, 24, 12)
        painter.setPen(QPen(QColor(theme.ACCENT), 1, Qt.PenStyle.DotLine) if self.hasFocus() else Qt.PenStyle.NoPen)
        if self.hasFocus():
            painter.drawRoundedRect(box.adjusted(-2, -2, 2, 2), 8, 8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.ACCENT if self._on else "#b4b4b4"))
        painter.drawRoundedRect(box, 6, 6)
        painter.setBrush(QColor("#ffffff"))
        painter.drawEllipse(QRectF(16 if self._on else 4, 5, 10, 10))
