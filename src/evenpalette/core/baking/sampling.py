"""The directions of rays: spread evenly for each texel, and over texels that lie beside each other.

Directions are those of the R2 sequence (M. Roberts, "The Unreasonable Effectiveness of Quasirandom Sequences", 2018:
steps of 1 / p and 1 / p^2 of the plastic number p), lifted to the half space by the cosine law (Malley's method). The
sixteen texels of a square of four by four take sixteen runs of one sequence, shifted by chance from square to square,
so that what a filter adds up over neighbors is again evenly spread.
"""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.pcg import pcg_of_one

_P = 1.32471795724474602596
_FIRST, _SECOND = 1 / _P, 1 / _P**2


@njit(nogil=True, inline="always")
def start_of(column, row, total):  # type: ignore[no-untyped-def]
    """Where a texel's sequence begins: two shifts of 0..1, and the number of its first step. total: rays of a texel."""
    # Bits of the two places woven: neighbors are far apart in the order.
    x, y = column & 3, row & 3
    place = ((x ^ y) & 1) << 3 | (y & 1) << 2 | (((x ^ y) >> 1) & 1) << 1 | (y >> 1) & 1
    seed = pcg_of_one(np.uint32(column >> 2) + pcg_of_one(np.uint32(row >> 2)))
    one, two = np.float64(seed) / 4294967296.0, np.float64(pcg_of_one(seed)) / 4294967296.0
    return one, two, place * total


@njit(nogil=True, inline="always")
def spread(one, two, number):  # type: ignore[no-untyped-def]
    """A point of the unit square."""
    u, v = one + (number + 1) * _FIRST, two + (number + 1) * _SECOND
    return u - np.floor(u), v - np.floor(v)


@njit(nogil=True, inline="always")
def sides(nx, ny, nz):  # type: ignore[no-untyped-def]
    """Two unit vectors across a unit vector (Duff et al., "Building an Orthonormal Basis, Revisited", 2017)."""
    sign = 1.0 if nz >= 0 else -1.0
    a = -1.0 / (sign + nz)
    b = nx * ny * a
    return 1.0 + sign * nx * nx * a, sign * b, -sign * nx, b, sign + ny * ny * a, -ny
