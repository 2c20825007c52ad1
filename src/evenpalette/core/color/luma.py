"""Weighted sums of R, G, B that stand for how bright a color is.

Sources: ITU-R BT.601-7 (0.299, 0.587, 0.114), ITU-R BT.709-6 (0.2126, 0.7152, 0.0722).
"""

import numpy as np

from evenpalette.core.color.encoding import F32

BT601: F32 = np.array([0.299, 0.587, 0.114], np.float32)
BT709: F32 = np.array([0.2126, 0.7152, 0.0722], np.float32)


def luminance(linear: F32) -> F32:
    """Relative luminance of linear Rec. 709 light (..., 3): float32, shape (...), 0..1 for colors in gamut."""
    return np.asarray(linear, np.float32) @ BT709
