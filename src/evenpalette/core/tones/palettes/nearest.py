"""The nearest of some colors for each of many points."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit, prange


@njit(nogil=True, cache=True, parallel=True, fastmath=True)
def _nearest(points, centers, best, apart):  # type: ignore[no-untyped-def]
    """centers: (dims, n), axes first, in order of the first axis: from a point's place in that order the search goes
    both ways, until the first axis alone is further than the best that was found."""
    dims, n = centers.shape
    first, second, third, fourth = centers[0], centers[1], centers[2], centers[dims - 1]
    blocks = 64
    for block in prange(blocks):
        for i in range(points.shape[0] * block // blocks, points.shape[0] * (block + 1) // blocks):
            x, y, z, w = points[i, 0], points[i, 1], points[i, 2], points[i, dims - 1]
            low, high = 0, n
            while low < high:
                middle = (low + high) >> 1
                if first[middle] < x:
                    low = middle + 1
                else:
                    high = middle
            least, found = np.float32(3e38), 0
            back, on = low - 1, low
            while back >= 0 or on < n:
                if on < n:
                    away = (first[on] - x) ** 2
                    if away >= least:
                        on = n
                    else:
                        away += (second[on] - y) ** 2 + (third[on] - z) ** 2
                        if dims == 4:
                            away += (fourth[on] - w) ** 2
                        if away < least:
                            least, found = away, on
                        on += 1
                if back >= 0:
                    away = (first[back] - x) ** 2
                    if away >= least:
                        back = -1
                    else:
                        away += (second[back] - y) ** 2 + (third[back] - z) ** 2
                        if dims == 4:
                            away += (fourth[back] - w) ** 2
                        if away < least:
                            least, found = away, back
                        back -= 1
            best[i], apart[i] = found, least


def nearest(points: NDArray[np.float32], centers: NDArray[np.float32]) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """For each point, float32 (n, 3 or 4), the number of the nearest center (m, as wide) and the squared distance."""
    order = np.argsort(centers[:, 0], kind="stable")
    best, apart = np.empty(len(points), np.int64), np.empty(len(points), np.float32)
    _nearest(points, np.ascontiguousarray(centers[order].T, np.float32), best, apart)
    return order[best], apart
