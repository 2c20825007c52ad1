"""How the values of a map are spread, and where a ramp makes them black and white."""

import numpy as np
from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from evenpalette.app import theme

_STRIP = 8


class RampBars(QWidget):
    """Bars of the values before the ramp, each in the gray that it becomes; lines where it begins and ends."""

    def __init__(self) -> None:
        super().__init__()
        self._bins, self._becomes = np.zeros(64), np.linspace(0, 1, 64)
        self._low, self._high = 0.0, 1.0
        self.setAccessibleName("Values of the bake")
        self.setToolTip("How many texels have which value before the ramp; below, what the ramp makes of each")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(120, 30)

    def sizeHint(self) -> QSize:
        return QSize(180, 40)

    def show_bins(self, bins: np.ndarray, becomes: np.ndarray, low: float, high: float) -> None:
        """Counts, what each of them becomes, 0..1, and where the ramp is black and white."""
        self._bins, self._becomes, self._low, self._high = bins, becomes, low, high
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        area = QRectF(self.rect()).adjusted(0, 0, -1, -_STRIP - 3)
        painter.fillRect(area, QColor(theme.SURFACE))
        top, width = float(self._bins.max()) or 1.0, area.width() / len(self._bins)
        for i, (count, gray) in enumerate(zip(self._bins, self._becomes, strict=True)):
            code = round(min(max(float(gray), 0.0), 1.0) * 255)
            height = area.height() * (count / top) ** 0.4
            left = area.left() + i * width
            painter.fillRect(QRectF(left, area.bottom() - height, width + 0.5, height), QColor(theme.MUTED))
            painter.fillRect(QRectF(left, area.bottom() + 3, width + 0.5, _STRIP), QColor(code, code, code))
        painter.setPen(QPen(QColor(theme.LINE), 1))
        painter.drawRect(area)
        painter.setPen(QPen(QColor(theme.ACCENT), 2))
        for place in (self._low, self._high):
            x = int(area.left() + min(max(place, 0.0), 1.0) * (area.width() - 2)) + 1
            painter.drawLine(x, int(area.top()), x, int(area.bottom()))
