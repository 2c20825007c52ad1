"""Affine operations on color, all rows of a step in one pass."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit

F32 = NDArray[np.float32]


#: Texels that are worked on together: what is summed for them stays in the first cache, and rows that have no weight in
#: so few are skipped.
_BLOCK = 256


@njit(nogil=True, cache=True, fastmath=True)
def _apply(r, g, b, weights, many):  # type: ignore[no-untyped-def]
    dx, dy, dz = np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32)
    one, rows = np.float32(1), weights.shape[0]
    seen = np.empty(rows, np.bool_)
    for start in range(0, r.size, _BLOCK):
        n = min(_BLOCK, r.size - start)
        x, y, z = r[start : start + n], g[start : start + n], b[start : start + n]
        for k in range(rows):
            w = weights[k, start : start + n]
            some = np.float32(0)
            for i in range(n):
                some += w[i]
            seen[k] = some != 0
        for step in range(many.shape[0]):
            m = many[step]
            dx[:n] = 0
            dy[:n] = 0
            dz[:n] = 0
            for k in range(rows):
                if not seen[k]:
                    continue
                w = weights[k, start : start + n]
                a0, a1, a2, a3 = m[k, 0, 0] - one, m[k, 0, 1], m[k, 0, 2], m[k, 0, 3]
                b0, b1, b2, b3 = m[k, 1, 0], m[k, 1, 1] - one, m[k, 1, 2], m[k, 1, 3]
                c0, c1, c2, c3 = m[k, 2, 0], m[k, 2, 1], m[k, 2, 2] - one, m[k, 2, 3]
                # A loop for each channel: with more arrays in one loop the compiler does not vectorize it.
                for i in range(n):
                    dx[i] += w[i] * (a0 * x[i] + a1 * y[i] + a2 * z[i] + a3)
                for i in range(n):
                    dy[i] += w[i] * (b0 * x[i] + b1 * y[i] + b2 * z[i] + b3)
                for i in range(n):
                    dz[i] += w[i] * (c0 * x[i] + c1 * y[i] + c2 * z[i] + c3)
            for i in range(n):
                x[i] += dx[i]
            for i in range(n):
                y[i] += dy[i]
            for i in range(n):
                z[i] += dz[i]


def apply_affine(planes: tuple[F32, F32, F32], weights: F32, matrices: F32) -> None:
    """`c += sum over rows of w (M c + t - c)`, in place on linear planes of n texels.

    weights: float32 (rows, n), their sum at most 1. matrices: float32 (rows, 3, 4), M and t side by side.
    """
    _apply(*planes, weights, matrices[None])


class Pending:
    """Affine steps that follow each other with the same weights: worked on together, so that texels stay in the
    cache."""

    def __init__(self) -> None:
        self._weights: F32 | None = None
        self._matrices: list[F32] = []

    def add(self, planes: tuple[F32, F32, F32], weights: F32, matrices: F32) -> None:
        """`apply_affine`, at the latest when `flush` is called."""
        if self._weights is not weights:
            self.flush(planes)
            self._weights = weights
        self._matrices.append(matrices)

    def flush(self, planes: tuple[F32, ...] | None) -> None:
        """Do what waits. planes: those that were handed over."""
        if self._weights is not None and planes is not None:
            r, g, b = planes
            _apply(r, g, b, self._weights, np.stack(self._matrices))
        self._weights, self._matrices = None, []
