"""The texels under the pointer, large, with the color of the middle one: what a click would take."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPoint, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from evenpalette.app import theme

#: Texels a side, and pixels of a texel.
TEXELS, _PIXELS = 9, 12
_SIDE, _LINE, _AWAY = TEXELS * _PIXELS, 36, 18


class Loupe(QWidget):
    """Lies beside the pointer; nothing under it is kept from the mouse."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setFixedSize(_SIDE + 2, _SIDE + _LINE + 2)
        self.setFont(theme.font(theme.NOTE))
        self._image = QImage()
        self.color, self._name = "", ""
        self.hide()

    def show_at(self, place: QPoint, texels: NDArray[np.uint8], name: str, within: QRect) -> None:
        """Show texels (TEXELS, TEXELS, 3) beside a place of the views. name: of the texture that they are of."""
        held = np.ascontiguousarray(texels)
        self._image = QImage(held.tobytes(), TEXELS, TEXELS, TEXELS * 3, QImage.Format.Format_RGB888).copy()
        self.color = QColor(self._image.pixel(TEXELS // 2, TEXELS // 2)).name()
        self._name = name
        left = (
            place.x() + _AWAY
            if place.x() + _AWAY + self.width() <= within.right()
            else place.x() - _AWAY - self.width()
        )
        top = (
            place.y() + _AWAY
            if place.y() + _AWAY + self.height() <= within.bottom()
            else place.y() - _AWAY - self.height()
        )
        self.move(max(within.left(), left), max(within.top(), top))
        self.setAccessibleName(f"{self.color} of {name}")
        self.show()
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.RAISED))
        painter.drawImage(QRectF(1, 1, _SIDE, _SIDE), self._image)
        middle = QRectF(1 + TEXELS // 2 * _PIXELS, 1 + TEXELS // 2 * _PIXELS, _PIXELS, _PIXELS)
        for grown, color in ((1.5, "#000000"), (0.5, "#ffffff")):
            painter.setPen(QPen(QColor(color), 1))
            painter.drawRect(middle.adjusted(-grown, -grown, grown, grown))
        painter.setPen(QColor(theme.INK))
        painter.drawText(QRect(6, _SIDE + 2, _SIDE - 10, 16), Qt.AlignmentFlag.AlignVCenter, self.color)
        painter.setPen(QColor(theme.MUTED))
        name = painter.fontMetrics().elidedText(self._name, Qt.TextElideMode.ElideMiddle, _SIDE - 10)
        painter.drawText(QRect(6, _SIDE + 17, _SIDE - 10, 16), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(QColor(theme.LINE))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


def texels_at(rgb: NDArray[np.uint8], u: float, v: float) -> NDArray[np.uint8]:
    """The texels around (u, v) of a picture (height, width, 3), its edge carried on: (TEXELS, TEXELS, 3)."""
    height, width = rgb.shape[:2]
    reach = TEXELS // 2
    rows = np.clip(np.arange(-reach, reach + 1) + min(height - 1, max(0, int(v * height))), 0, height - 1)
    columns = np.clip(np.arange(-reach, reach + 1) + min(width - 1, max(0, int(u * width))), 0, width - 1)
    return rgb[np.ix_(rows, columns)]
