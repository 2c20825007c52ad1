"""Specks and holes of one coverage: pieces too small to be meant."""

import cv2
import numpy as np
from numpy.typing import NDArray

#: Pieces of fewer texels than this are not meant: common practice, no source.
SMALLEST_TEXELS = 16
#: Coverage this near to none (or to full) ends a piece.
_RIM = 0.02


def _small(inside: NDArray[np.bool_], core: NDArray[np.bool_], smallest: int) -> NDArray[np.bool_]:
    """Pieces of `inside` that hold some, but fewer than `smallest`, texels of `core`."""
    count, found = cv2.connectedComponents(inside.astype(np.uint8), connectivity=8)
    labels = np.asarray(found, np.int32)
    held = np.bincount(labels[core], minlength=count)
    held[0] = 0
    return np.asarray(np.take((held > 0) & (held < smallest), labels))


def despeckle(plane: NDArray[np.float32], smallest: int) -> NDArray[np.float32]:
    """A coverage, float32 (height, width) of 0..1, without pieces and holes of fewer than `smallest` texels.

    A texel counts from a coverage of a half; the soft rim of a piece goes with it.
    """
    out = plane.copy()
    out[_small(plane > _RIM, plane >= 0.5, smallest)] = 0
    out[_small(plane < 1 - _RIM, plane < 0.5, smallest)] = 1
    return out


def find_specks(owner: NDArray[np.int16], used: NDArray[np.bool_], smallest: int) -> NDArray[np.bool_]:
    """Used texels in pieces of one owner (-1 is none) that are too small and lie within something else, bool (h, w).

    A small island is no speck: around it is nothing used. owner: int16 (h, w). used: bool (h, w).
    """
    found = np.zeros(owner.shape, bool)
    for index in range(-1, int(owner.max()) + 1):
        _, labels, stats, _ = cv2.connectedComponentsWithStats((owner == index).astype(np.uint8), connectivity=8)
        small = [i for i in np.flatnonzero(stats[:, cv2.CC_STAT_AREA] < smallest) if i > 0]
        for piece in small[:4000]:
            x, y, w, h = stats[piece, :4]
            box = np.s_[max(0, y - 1) : y + h + 1, max(0, x - 1) : x + w + 1]
            inside = labels[box] == piece
            ring = cv2.dilate(inside.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool) & ~inside
            if used[box][ring].mean() > 0.5:
                found[box] |= inside & used[box]
    return found


def thin_strips(owner: NDArray[np.int16], used: NDArray[np.bool_], index: int, least: int = 6) -> NDArray[np.bool_]:
    """Used texels of a region in strips one texel wide and at least `least` texels long, bool (h, w).

    What a square of two by two texels cannot enter is too thin for an edge on both of its sides.
    """
    mask = (owner == index).astype(np.uint8)
    opened = np.zeros_like(mask)
    for anchor in ((0, 0), (1, 1)):
        other = (1 - anchor[0], 1 - anchor[1])
        kept = cv2.dilate(cv2.erode(mask, np.ones((2, 2), np.uint8), anchor=anchor), np.ones((2, 2), np.uint8), anchor=other)
        opened |= kept
    thin = ((mask > 0) & (opened == 0) & used).astype(np.uint8)
    if not thin.any():
        return thin > 0
    _, labels, stats, _ = cv2.connectedComponentsWithStats(thin, connectivity=8)
    long = stats[:, cv2.CC_STAT_AREA] >= least
    long[0] = False
    return np.asarray(np.take(long, labels))


