"""Where a change of values can be seen: only there a view is drawn anew."""

import math
from collections.abc import Iterable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.raster.box import Box, joined
from evenpalette.core.raster.reading import derived
from evenpalette.core.recipe.binding import ANYTHING, BoundStep, Change, change_of
from evenpalette.gpu.camera import PlaneView
from evenpalette.gpu.drawing import Viewport
from evenpalette.gpu.surface import SurfaceBuffer

#: Pixels that a filter reads beyond a pixel at most, at the level that it chooses.
_FILTER = 4.0


class Drawn:
    """What a view drew last of each look, so that a change of values alone is told from any other."""

    def __init__(self) -> None:
        self._key: object = None
        self._bound: list[list[BoundStep]] = []

    def since(self, key: object, bound: list[list[BoundStep]], *, partly: bool) -> Change:
        """In what the picture may differ from the last one. key: all else that decides what is drawn. partly: whether
        nothing but values has changed. Remembers both."""
        last_key, last, self._key, self._bound = self._key, self._bound, key, bound
        if not partly or key != last_key or len(bound) != len(last):
            return ANYTHING
        changes = [change_of(before, after) for before, after in zip(last, bound, strict=True)]
        regions = [change.regions for change in changes]
        known = frozenset[int]().union(*(r for r in regions if r is not None))
        return Change(None if None in regions else known, frozenset[str]().union(*(c.writes for c in changes)))

    def forget(self) -> None:
        """Draw all of it next time."""
        self._key = None


def on_flat(planes: Sequence[NDArray[np.uint8]], view: PlaneView, viewport: Viewport) -> list[Viewport]:
    """The parts of the texture plane's viewport in which coverages (height, width) can be seen."""
    box: Box | None = None
    for plane in planes:
        left, top, right, bottom = (int(n) for n in derived((plane,), "reach", lambda p=plane: _reach(p)))  # type: ignore[misc]
        if right > left:
            own = (left, top, right, bottom)
            box = own if box is None else joined(box, own)
    if box is None:
        return []
    height, width = planes[0].shape
    pixels = min(viewport[2], viewport[3]) / view.span
    # A texel more on each side, and what a filter reads where texels are smaller than pixels.
    beyond_u, beyond_v = 1.5 / width + _FILTER / pixels, 1.5 / height + _FILTER / pixels
    across = _wrapped(box[0] / width - beyond_u, box[2] / width + beyond_u)
    down = _wrapped(box[1] / height - beyond_v, box[3] / height + beyond_v)
    found = []
    for u0, u1 in across:
        for v0, v1 in down:
            x0, y0 = view.to_pixel(u0, v0, viewport[2], viewport[3])
            x1, y1 = view.to_pixel(u1, v1, viewport[2], viewport[3])
            found.append(_inside(viewport, x0, viewport[3] - y1, x1, viewport[3] - y0))
    return [part for part in found if part is not None]


def _wrapped(low: float, high: float) -> list[tuple[float, float]]:
    """A stretch of the plane, and what of it lies at the other border: textures repeat."""
    if high - low >= 1:
        return [(0.0, 1.0)]
    found = [(max(low, 0.0), min(high, 1.0))]
    return [*found, *([(low + 1, 1.0)] if low < 0 else []), *([(0.0, high - 1)] if high > 1 else [])]


def on_form(planes: Iterable[NDArray[np.uint8]], buffer: SurfaceBuffer) -> Viewport | None:
    """The part of the model's picture in which coverages can be seen; None for nothing."""
    found: Box | None = None
    for plane in planes:
        box = buffer.kept(plane, lambda p=plane: _seen(p, buffer))  # type: ignore[misc]
        if box is not None:
            found = box if found is None else joined(found, box)
    if found is None:
        return None
    return _inside((0, 0, *buffer.size), found[0], found[1], found[2], found[3])


def _inside(viewport: Viewport, left: float, low: float, right: float, high: float) -> Viewport | None:
    """A part of a viewport, in its pixels from the bottom, in whole ones around it."""
    x0, y0 = max(0, math.floor(left)), max(0, math.floor(low))
    x1, y1 = min(viewport[2], math.ceil(right)), min(viewport[3], math.ceil(high))
    if x1 <= x0 or y1 <= y0:
        return None
    return viewport[0] + x0, viewport[1] + y0, x1 - x0, y1 - y0


def _reach(plane: NDArray[np.uint8]) -> NDArray[np.int64]:
    """The box of what is not 0; all 0 for nothing."""
    rows, columns = np.flatnonzero(plane.any(1)), np.flatnonzero(plane.any(0))
    return np.array([columns[0], rows[0], columns[-1] + 1, rows[-1] + 1] if len(rows) else [0, 0, 0, 0], np.int64)


def _seen(plane: NDArray[np.uint8], buffer: SurfaceBuffer) -> Box | None:
    """The box of the model's pixels that read anything of a coverage, in the level that the filter chooses or finer.

    Each level holds, of every texel and those around it, whether any texel below is covered.
    """
    surface, slopes = buffer.read_surface()
    there = (surface[..., 2] > 0) & (surface[..., 3] == 0)
    height, width = plane.shape
    size = np.array([width, height], np.float32)
    steps = np.stack([np.linalg.norm(slopes[..., k : k + 2] * size, axis=-1) for k in (0, 2)]).max(0)
    level = np.clip(np.ceil(np.log2(np.maximum(steps, 1e-6))), 0, 16).astype(np.int8)
    covered = (plane > 0).astype(np.uint8)
    mask = np.zeros(there.shape, bool)
    u, v = surface[..., 0] % 1.0, surface[..., 1] % 1.0
    for number in range(int(level[there].max(initial=0)) + 1):
        around = cv2.dilate(cv2.copyMakeBorder(covered, 1, 1, 1, 1, cv2.BORDER_WRAP), np.ones((3, 3), np.uint8))[
            1:-1, 1:-1
        ]
        at = there & (level == number)
        if at.any():
            rows, columns = (v[at] * around.shape[0]).astype(np.int64), (u[at] * around.shape[1]).astype(np.int64)
            mask[at] = around[np.minimum(rows, around.shape[0] - 1), np.minimum(columns, around.shape[1] - 1)] > 0
        if min(covered.shape) == 1 and max(covered.shape) == 1:
            # All coarser levels are this one.
            mask |= there & (level > number) & bool(covered.any())
            break
        covered = _half(covered)
    rows, columns = np.flatnonzero(mask.any(1)), np.flatnonzero(mask.any(0))
    # A pixel more on each side: the outline is smoothed.
    return (int(columns[0]) - 1, int(rows[0]) - 1, int(columns[-1]) + 2, int(rows[-1]) + 2) if len(rows) else None


def _half(covered: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The next level: whether any of two by two (or three, of odd sides) texels is covered."""
    height, width = covered.shape
    padded = np.pad(covered, ((0, height % 2 if height > 1 else 1), (0, width % 2 if width > 1 else 1)), mode="edge")
    two = padded[: padded.shape[0] // 2 * 2, : padded.shape[1] // 2 * 2]
    return np.ascontiguousarray(two.reshape(two.shape[0] // 2, 2, two.shape[1] // 2, 2).max((1, 3)))
