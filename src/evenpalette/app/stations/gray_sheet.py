"""One picture of the whole asset in every gray, side by side, named and with its difference: to choose by eye."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter

from evenpalette.app import theme
from evenpalette.app.widgets.before_after import image_of
from evenpalette.core.color.encoding import encode_srgb_8bit
from evenpalette.core.raster.raster import Encoding, Raster

TILE = 256
_CAPTION = 84


def gray_sheet(tiles: Sequence[tuple[Raster, str, str]]) -> Raster:
    """Tiles, each a picture (gray or color, at most TILE wide and high), a name and a note, four in a line.

    Linear grays are shown as the light that they are, alpha over the neutral surround. uint8, sRGB, 4 * TILE wide.
    """
    lines = -(-len(tiles) // 4)
    image = QImage(4 * TILE, lines * (TILE + _CAPTION), QImage.Format.Format_RGB888)
    image.fill(QColor(theme.SURROUND))
    painter = QPainter(image)
    painter.setPen(QColor("#ffffff"))
    name_font, note_font = theme.font(theme.TEXT, strong=True), theme.font(theme.TEXT)
    name_font.setPixelSize(28)
    note_font.setPixelSize(25)
    for place, (raster, name, note) in enumerate(tiles):
        left, top = place % 4 * TILE, place // 4 * (TILE + _CAPTION)
        painter.drawImage(left + (TILE - raster.width) // 2, top + (TILE - raster.height) // 2, image_of(_codes(raster)))
        for font, text, y in ((name_font, name, TILE + 4), (note_font, note, TILE + 40)):
            painter.setFont(font)
            painter.drawText(QRectF(left, top + y, TILE, 36), Qt.AlignmentFlag.AlignCenter, text)
    painter.end()
    bits = image.constBits()
    assert bits is not None
    bits.setsize(image.sizeInBytes())
    rows = np.frombuffer(bits, np.uint8).reshape(image.height(), image.bytesPerLine())
    return Raster(rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).copy(), Encoding.SRGB)


def _codes(raster: Raster) -> NDArray[np.uint8]:
    """uint8 (height, width, 3); linear grays as the light that they are."""
    codes = encode_srgb_8bit(np.clip(raster.as_linear_rgb(), 0, 1))
    if not raster.is_cut:
        return codes
    alpha = raster.as_unit()[..., -1:]
    return np.rint(codes * alpha + QColor(theme.SURROUND).red() * (1 - alpha)).astype(np.uint8)
