"""Colors are dragged from anything that shows one onto anything that takes one."""

from PyQt6.QtCore import QMimeData, QPointF, Qt
from PyQt6.QtGui import QColor, QDrag, QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QWidget


def is_far(start: QPointF | None, now: QPointF) -> bool:
    """Whether the pointer went far enough from where it was pressed for a drag to begin."""
    return start is not None and (now - start).manhattanLength() > QApplication.startDragDistance()


def carry(widget: QWidget, color: str) -> None:
    """Drag a color, '#rrggbb', away from a widget; returns when it was dropped."""
    drag, data = QDrag(widget), QMimeData()
    data.setColorData(QColor(color))
    data.setText(color)
    drag.setMimeData(data)
    drag.exec(Qt.DropAction.CopyAction)


def take(event: QDragEnterEvent | QDropEvent | None, widget: QWidget) -> str | None:
    """The color that an event brings from elsewhere, which is then accepted; None where it brings none."""
    assert event is not None
    data = event.mimeData()
    if data is None or not data.hasColor() or event.source() is widget:
        return None
    event.acceptProposedAction()
    return QColor(data.colorData()).name()
