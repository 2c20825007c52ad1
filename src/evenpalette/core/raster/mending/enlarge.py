"""Larger pictures: Lanczos, and edge-directed.

Edge-directed begins with Lanczos, whose edges are stairs at 4 times, smooths along edges, and then puts back what area
averaging shows to be missing (iterative back-projection: M. Irani, S. Peleg, "Improving resolution by image
registration", CVGIP 53, 1991), so that seen from as far as before the picture is what it was.
"""

import cv2
import numpy as np

from evenpalette.core.color.encoding import F32
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.mending.flow import smooth_along

FACTORS = (1, 2, 4)
_ROUNDS = 3


def enlarge(values: F32, factor: int, *, along_edges: bool = False) -> F32:
    """A picture, float32 (height, width, channels), 2 or 4 times as large, clipped to the range it had.

    A picture's middle stays in place: texel centers are at half steps. Raises EvenPaletteError.
    """
    if factor not in FACTORS:
        raise EvenPaletteError(f"A texture can be made 2 or 4 times as large, not {factor} times.")
    if factor == 1:
        return values.copy()
    height, width = values.shape[:2]
    low, high = values.min((0, 1)), values.max((0, 1))
    made = _resized(values, (width * factor, height * factor), cv2.INTER_LANCZOS4)
    for _ in range(_ROUNDS if along_edges else 0):
        made = smooth_along(made, factor + 1, 1.0)
        missing = values - _resized(made, (width, height), cv2.INTER_AREA)
        made = made + _resized(missing, (width * factor, height * factor), cv2.INTER_CUBIC)
    return np.clip(made, low, high)


def _resized(values: F32, size: tuple[int, int], how: int) -> F32:
    made = cv2.resize(np.ascontiguousarray(values), size, interpolation=how)
    return np.asarray(made, np.float32).reshape(size[1], size[0], values.shape[2])
