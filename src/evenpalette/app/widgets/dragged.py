"""A widget whose value follows the pointer while the left button is down."""

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QWidget


class Dragged(QWidget):
    """`follow` is called with every place of the pointer, `released` says that a gesture is over."""

    released = pyqtSignal()

    def follow(self, place: QPointF) -> None:
        """Take the value that lies under a place of the widget."""
        raise NotImplementedError

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self.follow(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.follow(event.position())

    def mouseReleaseEvent(self, _: QMouseEvent | None) -> None:
        self.released.emit()
