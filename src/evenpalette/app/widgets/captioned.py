"""Several pictures as one, each with words under it."""

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter

from evenpalette.app import theme
from evenpalette.app.widgets.pixels import pixels_of
from evenpalette.core.raster.raster import Encoding, Raster


def captioned(
    tiles: Sequence[tuple[QImage, Sequence[str]]], tile: tuple[int, int], columns: int, pixels: int
) -> Raster:
    """Pictures of at most the size of a tile, each in the middle of its own, with lines of words under it, the first
    one strong. pixels: height of the words. uint8, sRGB, columns * tile wide, on the neutral surround."""
    line = round(pixels * 1.4)
    high = tile[1] + line * max(len(words) for _, words in tiles) + line // 3
    image = QImage(columns * tile[0], -(-len(tiles) // columns) * high, QImage.Format.Format_RGB888)
    image.fill(QColor(theme.SURROUND))
    painter = QPainter(image)
    painter.setPen(QColor(theme.ON_VIEW))
    for place, (picture, words) in enumerate(tiles):
        left, top = place % columns * tile[0], place // columns * high
        shown = QImage(picture)
        shown.setDevicePixelRatio(1.0)
        painter.drawImage(left + (tile[0] - shown.width()) // 2, top + (tile[1] - shown.height()) // 2, shown)
        for number, text in enumerate(words):
            font = theme.font(theme.TEXT, strong=number == 0)
            font.setPixelSize(pixels)
            painter.setFont(font)
            text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, tile[0] - 8)
            painter.drawText(
                QRectF(left, top + tile[1] + number * line, tile[0], line), Qt.AlignmentFlag.AlignCenter, text
            )
    painter.end()
    return Raster(pixels_of(image), Encoding.SRGB)
