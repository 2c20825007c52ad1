"""How the grays of a region are spread, with what its levels cut off, and the colors that a tint reaches over them."""

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from evenpalette.app import theme
from evenpalette.app.widgets.before_after import image_of
from evenpalette.core.color.encoding import decode_srgb, encode_srgb
from evenpalette.core.color.hexcode import hex_to_linear

_METER, _WORDS = 12, 14


class Histogram(QWidget):
    """Bars for encoded grays; below them what a tint makes of each gray, and where its mean lies."""

    def __init__(self) -> None:
        super().__init__()
        self._bins = np.zeros(64)
        self._mean, self._tint = 0.0, "#ffffff"
        self._dark = self._bright = 0.0
        self.setAccessibleName("Histogram of the tone")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(140, 80)

    def sizeHint(self) -> QSize:
        return QSize(180, 150)

    def show_bins(self, bins: np.ndarray, mean: float, tint: str, dark: float, bright: float) -> None:
        """Show counts, the mean linear gray, the tint over them, and which parts are black and brighter than white."""
        self._bins, self._mean, self._tint, self._dark, self._bright = bins, mean, tint, dark, bright
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        area = QRectF(self.rect()).adjusted(0, 0, -1, -_METER - _WORDS - 3)
        painter.fillRect(area, QColor(theme.SURFACE))
        top = float(self._bins.max()) or 1.0
        width = area.width() / len(self._bins)
        for i, count in enumerate(self._bins):
            height = area.height() * (count / top) ** 0.6
            gray = round((i + 0.5) / len(self._bins) * 255)
            bar = QRectF(area.left() + i * width, area.bottom() - height, width + 0.5, height)
            painter.fillRect(bar, QColor(gray, gray, gray))
        for share, left in ((self._dark, True), (self._bright, False)):
            if share > 0:
                x = area.left() if left else area.right() - 3
                painter.fillRect(QRectF(x, area.top(), 3, area.height()), QColor(theme.WARN))
        painter.setPen(QPen(QColor(theme.LINE), 1))
        painter.drawRect(area)
        # What a tint makes of each gray: the colors that the region can show.
        grays = decode_srgb(np.linspace(0, 1, max(2, int(area.width())), dtype=np.float32))
        codes = np.rint(encode_srgb(np.clip(grays[:, None] * hex_to_linear(self._tint), 0, 1).astype(np.float32)) * 255)
        painter.drawImage(
            QRectF(area.left(), area.bottom() + 3, area.width(), _METER), image_of(codes[None].astype(np.uint8))
        )
        place = float(encode_srgb(np.array(min(max(self._mean, 0.0), 1.0), np.float32)))
        x = int(area.left() + place * area.width())
        painter.setPen(QPen(QColor(theme.ACCENT), 2))
        painter.drawLine(x, int(area.top()), x, int(area.bottom() + 3 + _METER))
        painter.setPen(QColor(theme.MUTED))
        painter.setFont(theme.font(theme.NOTE))
        line = QRectF(area.left(), area.bottom() + 3 + _METER, area.width(), _WORDS)
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft, f"{self._dark:.1%} black")
        painter.drawText(line, Qt.AlignmentFlag.AlignRight, f"{self._bright:.1%} clips")
