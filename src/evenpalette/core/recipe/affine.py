"""Affine operations on color, all rows of a step and steps that follow each other in one pass over a block."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import BLOCK, NONE, line, numbers, row_count, row_has, row_weight, run_rows

F32 = NDArray[np.float32]
_END = 6 * BLOCK


@njit(nogil=True, cache=True, fastmath=True)
def affine(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: red, green, blue. Numbers: how many steps there are, then their matrices row by row.

    What is worked on lies in one array at fixed distances, so that the compiler knows that nothing overlaps.
    """
    rows = row_count(at, 3)
    steps = np.int64(numbers(at, 1)[0])
    x, y, z = line(at, 0, start, n), line(at, 1, start, n), line(at, 2, start, n)
    many = numbers(at, 1 + 12 * rows * steps)
    room = np.empty(_END, np.float32)
    for i in range(n):
        room[i] = x[i]
    for i in range(n):
        room[i + BLOCK] = y[i]
    for i in range(n):
        room[i + 2 * BLOCK] = z[i]
    for step in range(steps):
        for i in range(3 * BLOCK, _END):
            room[i] = 0
        for k in range(rows):
            if row_has(at, 3, k) != NONE:
                _add(room, row_weight(at, 3, k, start, n), many, 1 + 12 * (rows * step + k))
        for i in range(n):
            room[i] += room[i + 3 * BLOCK]
            room[i + BLOCK] += room[i + 4 * BLOCK]
            room[i + 2 * BLOCK] += room[i + 5 * BLOCK]
    for i in range(n):
        x[i] = room[i]
    for i in range(n):
        y[i] = room[i + BLOCK]
    for i in range(n):
        z[i] = room[i + 2 * BLOCK]


@njit(nogil=True, cache=True, fastmath=True)
def _add(room, w, m, f):  # type: ignore[no-untyped-def]
    one = np.float32(1)
    a0, a1, a2, a3 = m[f] - one, m[f + 1], m[f + 2], m[f + 3]
    b0, b1, b2, b3 = m[f + 4], m[f + 5] - one, m[f + 6], m[f + 7]
    c0, c1, c2, c3 = m[f + 8], m[f + 9], m[f + 10] - one, m[f + 11]
    for i in range(w.size):
        p, q, s, v = room[i], room[i + BLOCK], room[i + 2 * BLOCK], w[i]
        room[i + 3 * BLOCK] += v * (a0 * p + a1 * q + a2 * s + a3)
        room[i + 4 * BLOCK] += v * (b0 * p + b1 * q + b2 * s + b3)
        room[i + 5 * BLOCK] += v * (c0 * p + c1 * q + c2 * s + c3)


def affine_numbers(matrices: F32) -> F32:
    """The numbers of the kernel. matrices: float32 (steps, rows, 3, 4), M and t side by side."""
    return np.concatenate([[np.float32(len(matrices))], matrices.reshape(-1)]).astype(np.float32)


def apply_affine(planes: tuple[F32, F32, F32], weights: F32, matrices: F32) -> None:
    """`c += sum over rows of w (M c + t - c)`, in place on linear planes of n texels.

    weights: float32 (rows, n), their sum at most 1. matrices: float32 (rows, 3, 4), M and t side by side.
    """
    run_rows(affine, planes, weights, affine_numbers(matrices[None]))
