"""CIE XYZ and CIELAB for the D65 white of sRGB.

Source: CIE 015:2018 (CIELAB); IEC 61966-2-1 primaries.
"""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32

#: Linear Rec. 709 to XYZ, rows X, Y, Z (IEC 61966-2-1, as commonly published to seven digits).
XYZ_FROM_LINEAR: NDArray[np.float64] = np.array(
    [
        [0.4123908, 0.3575843, 0.1804808],
        [0.2126390, 0.7151687, 0.0721923],
        [0.0193308, 0.1191948, 0.9505322],
    ]
)
WHITE: NDArray[np.float64] = XYZ_FROM_LINEAR.sum(1)


def linear_to_lab(linear: NDArray) -> F32:
    """Linear Rec. 709 (..., 3) to CIELAB (..., 3): L* 0..100; float32."""
    xyz = np.asarray(linear, np.float64) @ XYZ_FROM_LINEAR.T / WHITE
    f = np.where(xyz > (6 / 29) ** 3, np.cbrt(xyz), xyz / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1).astype(
        np.float32
    )


def lightness(linear: NDArray) -> F32:
    """CIE lightness L* of linear Rec. 709 (..., 3), 0..100; float32, shape (...)."""
    y = np.asarray(linear, np.float64) @ XYZ_FROM_LINEAR[1]
    f = np.where(y > (6 / 29) ** 3, np.cbrt(y), y / (3 * (6 / 29) ** 2) + 4 / 29)
    return (116 * f - 16).astype(np.float32)
