"""A line of words that may be longer than its place."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy

from evenpalette.app.plain import plain


class Elided(QLabel):
    """Takes what room there is; what has none ends with dots, and all of it is under the pointer."""

    def __init__(self, name: str = "note") -> None:
        super().__init__()
        self.setObjectName(name)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def say(self, words: str, more: str = "") -> None:
        """Show words; more: what is under the pointer, where that is not the same."""
        self.setText(words)
        self.setToolTip(plain(more or words))

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        words = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, words)
        painter.end()
