"""One picture of the whole asset in every gray, side by side, named and with its difference: to choose by eye."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor

from evenpalette.app import theme
from evenpalette.app.widgets.before_after import image_of
from evenpalette.app.widgets.captioned import captioned
from evenpalette.core.color.encoding import encode_srgb_8bit
from evenpalette.core.raster.raster import Raster

TILE = 256


def gray_sheet(tiles: Sequence[tuple[Raster, str, str]]) -> Raster:
    """Tiles, each a picture (gray or color, at most TILE wide and high), a name and a note, four in a line.

    Linear grays are shown as the light that they are, alpha over the neutral surround. uint8, sRGB, 4 * TILE wide.
    """
    return captioned([(image_of(_codes(raster)), (name, note)) for raster, name, note in tiles], (TILE, TILE), 4, 26)


def _codes(raster: Raster) -> NDArray[np.uint8]:
    """uint8 (height, width, 3); linear grays as the light that they are."""
    codes = encode_srgb_8bit(np.clip(raster.as_linear_rgb(), 0, 1))
    if not raster.is_cut:
        return codes
    alpha = raster.as_unit()[..., -1:]
    return np.rint(codes * alpha + QColor(theme.SURROUND).red() * (1 - alpha)).astype(np.uint8)
