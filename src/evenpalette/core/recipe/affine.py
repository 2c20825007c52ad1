"""Affine operations on color, all rows of a step in one pass."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

F32 = NDArray[np.float32]


@njit(nogil=True, cache=True, fastmath=True)
def _apply(r, g, b, weights, m):  # type: ignore[no-untyped-def]
    count = weights.shape[0]
    for i in range(r.size):
        x, y, z = r[i], g[i], b[i]
        dx = dy = dz = np.float32(0)
        for k in range(count):
            w = weights[k, i]
            if w != 0:
                dx += w * (m[k, 0, 0] * x + m[k, 0, 1] * y + m[k, 0, 2] * z + m[k, 0, 3] - x)
                dy += w * (m[k, 1, 0] * x + m[k, 1, 1] * y + m[k, 1, 2] * z + m[k, 1, 3] - y)
                dz += w * (m[k, 2, 0] * x + m[k, 2, 1] * y + m[k, 2, 2] * z + m[k, 2, 3] - z)
        r[i], g[i], b[i] = x + dx, y + dy, z + dz


def apply_affine(planes: tuple[F32, F32, F32], weights: F32, matrices: F32) -> None:
    """`c += sum over rows of w (M c + t - c)`, in place on linear planes of n texels.

    weights: float32 (rows, n), their sum at most 1. matrices: float32 (rows, 3, 4), M and t side by side.
    """
    _apply(*planes, weights, matrices)
