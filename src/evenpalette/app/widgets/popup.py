"""Where small windows open: above what they belong to, inside the window."""

from PyQt6 import sip
from PyQt6.QtCore import QPoint, QRect
from PyQt6.QtWidgets import QFrame, QWidget


def is_open(popup: QWidget | None) -> bool:
    """Whether a popup is there still and seen: one that was closed is deleted under its Python name."""
    return popup is not None and not sip.isdeleted(popup) and popup.isVisible()


def show_above(popup: QWidget, anchor: QWidget, area: QRect | None = None) -> None:
    """Show a popup above a widget (or a part of it), else below, moved so that it stays over its window.

    A widget on a card keeps its card in sight where there is room above that: the popup is about it.
    """
    popup.adjustSize()
    part = area if area is not None else anchor.rect()
    start = anchor.mapToGlobal(part.topLeft())
    card = _card_of(anchor)
    window = anchor.window()
    frame = QRect(window.mapToGlobal(QPoint(0, 0)), window.size()) if window is not None else part
    size = popup.sizeHint().expandedTo(popup.minimumSize())
    x = min(start.x(), frame.right() - size.width() - 4)
    y = start.y() - size.height() - 4
    if card is not None and (over := card.mapToGlobal(QPoint(0, 0)).y() - size.height() - 4) >= frame.top():
        y = over
    if y < frame.top():
        y = min(start.y() + part.height() + 4, frame.bottom() - size.height())
    popup.move(max(frame.left(), x), max(0, y))
    popup.show()


def _card_of(widget: QWidget) -> QWidget | None:
    """The card that a widget lies on."""
    at: QWidget | None = widget
    while at is not None and not (isinstance(at, QFrame) and at.objectName() == "card"):
        at = at.parentWidget()
    return at
