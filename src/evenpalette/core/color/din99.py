"""DIN99b, a space in which plain distance is close to CIEDE2000: colors are clustered in it.

Source: G. Cui, M. R. Luo, B. Rigg, G. Roesler, K. Witt, "Uniform colour spaces based on the DIN99 colour-difference
formula", Color Research and Application 27(4), 2002: the space DIN99b.
"""

import math

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import DECODE_8BIT, F32
from evenpalette.core.color.lab import WHITE, XYZ_FROM_LINEAR
from evenpalette.core.kernels import njit, prange

_MATRIX = np.ascontiguousarray(XYZ_FROM_LINEAR / WHITE[:, None])
_COS, _SIN, _TURN = math.cos(math.radians(26)), math.sin(math.radians(26)), math.radians(26)


@njit(nogil=True, cache=True)
def _root(value):  # type: ignore[no-untyped-def]
    return value ** (1.0 / 3.0) if value > 0.008856451679035631 else value * 7.787037037037037 + 0.13793103448275862


@njit(nogil=True, cache=True, parallel=True)
def _din99b(linear, matrix, turn, out):  # type: ignore[no-untyped-def]
    for i in prange(linear.shape[0]):
        r, g, b = max(linear[i, 0], 0.0), max(linear[i, 1], 0.0), max(linear[i, 2], 0.0)
        x = _root(matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b)
        y = _root(matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b)
        z = _root(matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b)
        lightness, a, yellow = 116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)
        e = turn[0] * a + turn[1] * yellow
        f = 0.83 * (turn[0] * yellow - turn[1] * a)
        length = math.hypot(e, f)
        chroma = 23.0 * math.log(1.0 + 0.075 * length)
        out[i, 0] = 303.67 * math.log(1.0 + 0.0039 * lightness)
        out[i, 1] = chroma * (e * turn[0] - f * turn[1]) / length if length > 1e-12 else 0.0
        out[i, 2] = chroma * (f * turn[0] + e * turn[1]) / length if length > 1e-12 else 0.0


def linear_to_din99b(linear: NDArray) -> F32:
    """Linear Rec. 709 (..., 3) to DIN99b (..., 3): L99 0..100, a99, b99; float32."""
    flat = np.ascontiguousarray(linear, np.float64).reshape(-1, 3)
    out = np.empty(flat.shape, np.float32)
    _din99b(flat, _MATRIX, np.array([_COS, _SIN]), out)
    return out.reshape(linear.shape)


def srgb8_to_din99b(codes: NDArray[np.uint8]) -> F32:
    """8-bit sRGB (..., 3) to DIN99b (..., 3); float32."""
    return linear_to_din99b(np.take(DECODE_8BIT, codes))
