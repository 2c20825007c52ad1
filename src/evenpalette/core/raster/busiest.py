"""Where a picture has the most to see: what is looked at first."""

import cv2
import numpy as np

from evenpalette.core.raster.raster import Raster

_CELLS = 24


def busiest_place(raster: Raster) -> tuple[float, float]:
    """(u, v) of the middle of the cell, of 24 by 24, in which the picture varies most from texel to texel."""
    stride = max(1, max(raster.size) // 768)
    few = Raster(
        np.ascontiguousarray(raster.pixels[::stride, ::stride, : max(1, min(3, raster.channels))]), raster.encoding
    )
    gray = np.clip(few.as_unit(), 0, 1).mean(-1, dtype=np.float32)
    busy = np.abs(cv2.Laplacian(gray, cv2.CV_32F))
    cells = cv2.resize(busy, (_CELLS, _CELLS), interpolation=cv2.INTER_AREA)
    # Its neighbors count too: a lone line is less to see than a drawing.
    cells = cv2.blur(cells, (3, 3), borderType=cv2.BORDER_REFLECT_101)
    row, column = np.unravel_index(int(cells.argmax()), cells.shape)
    return (float(column) + 0.5) / _CELLS, (float(row) + 0.5) / _CELLS
