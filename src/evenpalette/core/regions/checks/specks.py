"""Specks and holes of one coverage: pieces too small to be meant."""

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit, prange
from evenpalette.core.regions.checks.pieces import find_pieces

#: Pieces of fewer texels than this are not meant: common practice, no source.
SMALLEST_TEXELS = 16
#: Coverage this near to none (or to full) ends a piece.
_RIM = 0.02
#: More pieces are not looked at one by one.
_MOST_PIECES = 20_000


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
    pieces = find_pieces(owner)
    for runs in pieces.small(smallest)[:_MOST_PIECES]:
        top, bottom = max(0, int(pieces.rows[runs[0]]) - 1), int(pieces.rows[runs[-1]]) + 2
        left, right = max(0, int(pieces.begins[runs].min()) - 1), int(pieces.ends[runs].max()) + 1
        box = np.s_[top:bottom, left:right]
        inside = np.zeros(used[box].shape, bool)
        for i in runs:
            inside[pieces.rows[i] - top, pieces.begins[i] - left : pieces.ends[i] - left] = True
        ring = cv2.dilate(inside.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool) & ~inside
        if used[box][ring].mean() > 0.5:
            found[box] |= inside & used[box]
    return found


@njit(nogil=True, cache=True, parallel=True)
def _thin(owner, used, out):  # type: ignore[no-untyped-def]
    height, width = owner.shape
    for y in prange(height):
        for x in range(width):
            mine = owner[y, x]
            out[y, x] = -1
            if mine < 0 or not used[y, x]:
                continue
            wide = False
            for dy in (-1, 1):
                for dx in (-1, 1):
                    same = True
                    # What lies beyond the border counts as the same.
                    if 0 <= y + dy < height and owner[y + dy, x] != mine:
                        same = False
                    if 0 <= x + dx < width and owner[y, x + dx] != mine:
                        same = False
                    if 0 <= y + dy < height and 0 <= x + dx < width and owner[y + dy, x + dx] != mine:
                        same = False
                    wide = wide or same
            if not wide:
                out[y, x] = mine


def thin_strips(owner: NDArray[np.int16], used: NDArray[np.bool_], least: int = 6) -> NDArray[np.int16]:
    """The region of used texels in strips one texel wide and at least `least` texels long, -1 elsewhere, int16 (h, w).

    What a square of two by two texels cannot enter is too thin for an edge on both of its sides.
    """
    thin = np.empty_like(owner)
    _thin(owner, used, thin)
    if int(thin.max()) < 0:
        return thin
    pieces = find_pieces(thin)
    short = np.zeros(owner.shape, bool)
    for runs in pieces.small(least):
        pieces.paint(runs, short)
    thin[short] = -1
    return thin
