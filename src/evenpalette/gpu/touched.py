"""Where a change of values can be seen: only there a view is drawn anew."""

import math
from collections.abc import Iterable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.mesh.camera import PlaneView
from evenpalette.core.raster.box import Box, joined
from evenpalette.core.raster.mips import level_sizes
from evenpalette.core.raster.reading import derived, found_in
from evenpalette.core.recipe.binding import ANYTHING, BoundStep, Change, change_of
from evenpalette.gpu.drawing import Viewport
from evenpalette.gpu.surface import SurfaceBuffer

#: Pixels that a filter reads beyond a pixel at most, at the level that it chooses.
_FILTER = 4.0
#: Pixels of a tile's side, and a coverage in 255ths that 8 bits round to nothing.
_TILE, _NOTHING = 8, 0.4
#: Coverages in 256ths of a code, so that means of them are not rounded to whole ones.
_FINER = np.arange(256, dtype=np.uint16) << 8


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


@dataclass(frozen=True, eq=False)
class Tiles:
    """A part of a viewport in rectangles. box: around all of them. corners: of their triangles, float32 (n, 2), 0..1 of
    the viewport from the bottom left."""

    box: Viewport
    corners: NDArray[np.float32]


def _triangles(x0: NDArray, y0: NDArray, x1: NDArray, y1: NDArray, size: tuple[int, int]) -> NDArray[np.float32]:
    """Two for each rectangle, (n, 2)."""
    corners = np.stack([x0, y0, x1, y0, x0, y1, x0, y1, x1, y0, x1, y1], 1).reshape(-1, 2)
    return (corners / np.array(size)).astype(np.float32)


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


def on_form(planes: Iterable[NDArray[np.uint8]], buffer: SurfaceBuffer) -> Tiles | None:
    """The part of the model's picture in which coverages can be seen; None for nothing."""
    masks = [buffer.kept(plane, lambda p=plane: _seen(p, buffer)) for plane in planes]  # type: ignore[misc]
    mask = np.logical_or.reduce(masks) if masks else np.zeros((0, 0), bool)
    if not mask.any():
        return None
    # Runs of tiles, row by row: each is two triangles.
    edges = np.diff(np.pad(mask, ((0, 0), (1, 1))).astype(np.int8), axis=1)
    rows, starts = np.nonzero(edges == 1)
    stops = np.nonzero(edges == -1)[1]
    width, height = buffer.size
    x0, x1 = starts * _TILE, np.minimum(stops * _TILE, width)
    y0, y1 = rows * _TILE, np.minimum((rows + 1) * _TILE, height)
    box = _inside((0, 0, width, height), x0.min(), y0.min(), x1.max(), y1.max())
    return Tiles(box, _triangles(x0, y0, x1, y1, buffer.size)) if box is not None else None


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


#: A level, and of the pixels whose filter chooses it the indices in the picture, and u and v of 0 to 1.
_AtLevel = tuple[int, NDArray[np.int64], NDArray[np.float32], NDArray[np.float32]]


def _pixels(buffer: SurfaceBuffer, shape: tuple[int, int]) -> list[_AtLevel]:
    """The pixels of a picture where the model is, by the level of coverages of a shape that is read there."""
    surface, slopes = (half.reshape(-1, 4) for half in buffer.read_surface())
    there = np.flatnonzero((surface[:, 2] > 0) & (surface[:, 3] == 0))
    steps = slopes[there] * np.array([shape[1], shape[0]] * 2, np.float32)
    steps *= steps
    longest = np.maximum(steps[:, 0] + steps[:, 1], steps[:, 2] + steps[:, 3])
    last = max(shape).bit_length() - 1
    # Half the logarithm of the square; beyond the last level there is none.
    level = np.clip(np.log2(np.maximum(longest, 1e-12)) * 0.5, 0, last).astype(np.int64)
    u, v = surface[there, 0] % 1.0, surface[there, 1] % 1.0
    return [(int(n), there[at], u[at], v[at]) for n in np.unique(level) for at in (level == n,)]


def _means(plane: NDArray[np.uint8]) -> dict[int, NDArray[np.uint16]]:
    """256 times the mean coverage by the level, of all after the first. Each is made from the one before: from the
    whole plane all of them take as long as the first one each."""
    held, found = np.asarray(cv2.LUT(plane, _FINER), np.uint16), {}
    for level, (width, height) in enumerate(level_sizes((plane.shape[1], plane.shape[0]))[1:], 1):
        resized = cv2.resize(held, (width, height), interpolation=cv2.INTER_AREA)
        held = found[level] = np.asarray(resized, np.uint16).reshape(height, width)
    return found


def _covered(plane: NDArray[np.uint8], level: int) -> NDArray[np.bool_]:
    """Of a level of a coverage, whether a texel or one around it is more than what 8 bits round to nothing."""
    if level:
        seen = found_in((plane,), "means", lambda: _means(plane))[level] > _NOTHING * 256
    else:
        seen = plane > _NOTHING
    bordered = cv2.copyMakeBorder(seen.view(np.uint8), 1, 1, 1, 1, cv2.BORDER_WRAP)
    return cv2.dilate(bordered, np.ones((3, 3), np.uint8))[1:-1, 1:-1].astype(np.bool_)


def _seen(plane: NDArray[np.uint8], buffer: SurfaceBuffer) -> NDArray[np.bool_]:
    """Which tiles of the model's picture read anything of a coverage, bool (rows, columns) from the bottom: of the
    level that the filter chooses, or of the one beside it."""
    pixels = buffer.kept(f"pixels of {plane.shape}", lambda: _pixels(buffer, (plane.shape[0], plane.shape[1])))
    width, height = buffer.size
    mask = np.zeros(width * height, bool)
    for level, at, u, v in pixels:
        for number in {level, min(level + 1, max(plane.shape).bit_length() - 1)}:
            covered = derived((plane,), ("covered", number), lambda n=number: _covered(plane, n))  # type: ignore[misc]
            rows, columns = covered.shape
            row, column = (v * rows).astype(np.int32), (u * columns).astype(np.int32)
            mask[at] |= covered[np.minimum(row, rows - 1), np.minimum(column, columns - 1)]
    mask = np.pad(mask.reshape(height, width), ((0, -height % _TILE), (0, -width % _TILE)))
    return np.asarray(mask.reshape(mask.shape[0] // _TILE, _TILE, -1, _TILE).any((1, 3)))
