"""What may lie in a channel of a file is dragged from anything that stands for it onto a picture of the channel."""

from PyQt6.QtCore import QMimeData
from PyQt6.QtGui import QDragEnterEvent, QDropEvent

_KIND = "application/x-evenpalette-source"


def packed(source: str) -> QMimeData:
    """A source, as a layout writes it, for a drag."""
    data = QMimeData()
    data.setData(_KIND, source.encode())
    return data


def taken(event: QDragEnterEvent | QDropEvent | None) -> str:
    """The source that an event brings, which is then accepted; '' where it brings none."""
    assert event is not None
    data = event.mimeData()
    if data is None or not data.hasFormat(_KIND):
        return ""
    event.acceptProposedAction()
    return bytes(data.data(_KIND).data()).decode("utf-8", "replace")
