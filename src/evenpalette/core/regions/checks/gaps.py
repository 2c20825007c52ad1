"""What coverages hold: sums, shares, gaps, and where the largest spot of a mask is."""

from collections.abc import Mapping

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import njit, prange


def used_mask(face_map: NDArray[np.int32] | None, shape: tuple[int, int]) -> NDArray[np.bool_]:
    """Texels that some face lies on, at the wanted (height, width); all of them without a mesh."""
    if face_map is None:
        return np.ones(shape, bool)
    used = (face_map >= 0).astype(np.uint8)
    return cv2.resize(used, (shape[1], shape[0]), interpolation=cv2.INTER_NEAREST) > 0


@njit(nogil=True, cache=True, parallel=True)
def _add(plane, used, total, held, most):  # type: ignore[no-untyped-def]
    for y in prange(plane.shape[0]):
        row_held, row_most = np.int64(0), np.uint8(0)
        for x in range(plane.shape[1]):
            value = plane[y, x]
            total[y, x] += value
            if used[y, x]:
                row_held += value
                row_most = max(row_most, value)
        held[y], most[y] = row_held, row_most


@dataclass(frozen=True)
class Held:
    """What planes hold: their sum at each texel, uint16 (h, w); the sum and the largest value of each over used
    texels."""

    total: NDArray[np.uint16]
    sums: dict[str, int]
    most: dict[str, int]


def held_by(planes: Mapping[str, NDArray[np.uint8]], used: NDArray[np.bool_]) -> Held:
    """Look at planes, uint8 (h, w), once each. used: bool (h, w)."""
    total = np.zeros(used.shape, np.uint16)
    sums, most = {}, {}
    for key, plane in planes.items():
        held, largest = np.empty(used.shape[0], np.int64), np.empty(used.shape[0], np.uint8)
        _add(plane, used, total, held, largest)
        sums[key], most[key] = int(held.sum()), int(largest.max())
    return Held(total, sums, most)


def shares(planes: dict[str, NDArray[np.uint8]], used: NDArray[np.bool_]) -> dict[str, float]:
    """Each region's part of the used UV area, 0..1."""
    total = max(1, int(np.count_nonzero(used)))
    return {key: held / 255 / total for key, held in held_by(planes, used).sums.items()}


def spot(mask: NDArray[np.bool_]) -> tuple[tuple[float, float], int]:
    """A texel in the middle of the largest connected piece of a mask with any, as (u, v), and how many pieces it
    has."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    largest = 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())
    left, top, width, height = (int(value) for value in stats[largest, :4])
    rows, columns = np.nonzero(labels[top : top + height, left : left + width] == largest)
    middle = len(rows) // 2
    place = (left + columns[middle] + 0.5) / mask.shape[1], (top + rows[middle] + 0.5) / mask.shape[0]
    place = float(place[0]), float(place[1])
    return place, count - 1
