"""What is drawn over the twin views: the divide, the wipe, the pointer's circle and spot."""

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

#: White with a soft dark rim reads on every color.
_RIM, _LINE = QColor(0, 0, 0, 100), QColor("#ffffff")


def draw_divide(painter: QPainter, x: float, height: float) -> None:
    """The line between Form and Flat."""
    painter.fillRect(QRectF(x, 0, 2, height), QColor("#a9a9a9"))


def draw_wipe(painter: QPainter, x: float, top: float, bottom: float) -> None:
    """The line of a wipe with its handle."""
    painter.setPen(QPen(_LINE, 1.5))
    painter.drawLine(QPointF(x, top), QPointF(x, bottom))
    painter.setBrush(_LINE)
    painter.drawEllipse(QPointF(x, bottom - 12), 6, 6)


def draw_circle(painter: QPainter, place: QPointF, radius: float) -> None:
    """The circle that a brush covers; nothing for a radius of 0."""
    if radius > 0:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for width, color in ((2.5, _RIM), (1.0, _LINE)):
            painter.setPen(QPen(color, width))
            painter.drawEllipse(place, radius, radius)


def around(place: QPointF, radius: float = 12) -> QRect:
    """What a spot, or a circle of this radius, may touch."""
    side = radius + 4
    return QRectF(place.x() - side, place.y() - side, 2 * side, 2 * side).toAlignedRect()


def draw_spot(painter: QPainter, rect: QRect, place: QPointF) -> None:
    """The spot under the pointer, where it lies within a view."""
    if not QRectF(rect).contains(place):
        return
    x, y = place.x(), place.y()
    for width, color in ((3.0, _RIM), (1.4, _LINE)):
        painter.setPen(QPen(color, width))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(place, 6, 6)
        painter.drawLine(QPointF(x - 12, y), QPointF(x - 6, y))
        painter.drawLine(QPointF(x + 6, y), QPointF(x + 12, y))
