"""Timers as the application uses them."""

from PyQt6.QtCore import QObject, QTimer


def timer(parent: QObject, milliseconds: int, *, once: bool = True) -> QTimer:
    """A timer of this interval that is not running yet. once: it runs out and stands still."""
    made = QTimer(parent)
    made.setSingleShot(once)
    made.setInterval(milliseconds)
    return made
