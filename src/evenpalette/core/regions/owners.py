"""Which region a texel belongs to most."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit, prange
from evenpalette.core.raster.padding import nearest_covered


@njit(nogil=True, cache=True, parallel=True)
def _take(plane, index, best, owner):  # type: ignore[no-untyped-def]
    for row in prange(plane.shape[0]):
        for column in range(plane.shape[1]):
            if plane[row, column] > best[row, column]:
                best[row, column] = plane[row, column]
                owner[row, column] = index


def owners(planes: Sequence[NDArray[np.uint8]], least: int = 128) -> NDArray[np.int16]:
    """Index of the largest coverage at each texel, int16 (height, width); -1 where none reaches `least` (0..255).

    planes: uint8 (height, width) each, at least one. Of equal coverages the first counts.
    """
    best = np.full(planes[0].shape, max(0, least - 1), np.uint8)
    owner = np.full(planes[0].shape, -1, np.int16)
    for index, plane in enumerate(planes):
        _take(plane, index, best, owner)
    return owner


def give_gaps(
    planes: Sequence[NDArray[np.uint8]], others: Sequence[NDArray[np.uint8]], used: NDArray[np.bool_]
) -> list[NDArray[np.uint8]]:
    """Planes, uint8 (h, w), with what no plane covers on used texels given to the nearest one of `planes`.

    others: coverages that stay as they are and keep their place. used: bool (h, w).
    """
    total = np.zeros(used.shape, np.int32)
    for plane in (*planes, *others):
        total += plane
    missing = np.where(used, np.maximum(255 - total, 0), 0)
    owner = owners(planes)
    nearest = np.take(owner, nearest_covered(owner >= 0, sum(used.shape)))
    return [
        np.where(nearest == index, np.minimum(plane + missing, 255), plane).astype(np.uint8)
        for index, plane in enumerate(planes)
    ]
