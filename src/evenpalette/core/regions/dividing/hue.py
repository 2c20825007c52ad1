"""Which of two hues a texel has: the part of a region that is split off by its color."""

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.raster.raster import Raster

#: Darker than this, linear, a color points anywhere: its neighbors decide.
_DARK = 0.02
#: How far around a texel neighbors have a say, in texels (standard deviation).
_NEAR = 1.2


def hue_share(raster: Raster, color: str, other: str) -> NDArray[np.uint8]:
    """How much each texel has the hue of `color` and not of `other`, '#rrggbb': uint8 (height, width).

    By the angles, in linear light, between the texel and the two lines from black; soft in the middle between them.
    """
    light = np.maximum(raster.as_linear_rgb(), 0)
    length = np.linalg.norm(light, axis=-1)
    angles = []
    for code in (color, other):
        line = hex_to_linear(code).astype(np.float32)
        line = line / max(float(np.linalg.norm(line)), 1e-9)
        angles.append(np.arccos(np.clip(light @ line / np.maximum(length, 1e-9), -1, 1)))
    share = angles[1] / np.maximum(angles[0] + angles[1], 1e-6)
    # From 0.4 to 0.6 of the way: what lies between two paints is a mixture of them.
    soft = np.clip((share - 0.4) / 0.2, 0, 1).astype(np.float32)
    sure = np.clip(length / _DARK, 0.02, 1).astype(np.float32) ** 2
    held = cv2.GaussianBlur(soft * sure, (0, 0), _NEAR)
    weight = cv2.GaussianBlur(sure, (0, 0), _NEAR)
    blurred = held / np.maximum(weight, 1e-6)
    return np.rint(np.where(sure >= 1, soft, blurred) * 255).astype(np.uint8)
