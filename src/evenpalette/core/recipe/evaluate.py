"""Running a recipe on the CPU: the reference that writes every delivered texel.

Tiles stay in the cache through all steps; worker threads take tiles; kernels release the GIL.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from evenpalette.core.color.encoding import (
    DECODE_8BIT,
    F32,
    PIECE_OFFSETS,
    PIECE_SLOPES,
    decode_srgb,
    encode_code,
    encode_srgb_8bit,
)
from evenpalette.core.parallel import Progress, no_progress, run_over
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.model import ChannelRef
from evenpalette.core.regions.coverage import resolve_overlap
from evenpalette.core.regions.model import Overlap

#: Large enough that taking turns at the interpreter lock between kernels costs little, small enough to stay in cache:
#: with two threads 64k texels measured twice as fast as 16k.
TILE_TEXELS = 65536
Box = tuple[int, int, int, int]


@dataclass(frozen=True, eq=False)
class Sources:
    """Everything a recipe reads, by name.

    base: the tone (one channel, data) or a color texture. coverages: uint8 (height, width) planes in region order.
    textures: what channel references name.
    """

    base: Raster
    coverages: Sequence[NDArray[np.uint8]] = ()
    overlap: Overlap = Overlap.EXCLUSIVE
    textures: Mapping[str, Raster] = field(default_factory=dict)

    @property
    def size(self) -> tuple[int, int]:
        """The working size: the largest width and height among the base and the coverages."""
        sizes = [self.base.size, *((plane.shape[1], plane.shape[0]) for plane in self.coverages)]
        return max(w for w, _ in sizes), max(h for _, h in sizes)

    def at_point(self, u: float, v: float) -> "Sources":
        """The nearest texel of every source under (u, v), as sources of one texel: what a read-out needs, at any size."""

        def cut(pixels: NDArray) -> NDArray:
            height, width = pixels.shape[:2]
            y, x = min(height - 1, max(0, int(v * height))), min(width - 1, max(0, int(u * width)))
            return np.ascontiguousarray(pixels[y : y + 1, x : x + 1])

        return Sources(
            Raster(cut(self.base.pixels), self.base.encoding),
            [cut(plane) for plane in self.coverages],
            self.overlap,
            {key: Raster(cut(raster.pixels), raster.encoding) for key, raster in self.textures.items()},
        )

    def at_size(self, width: int, height: int) -> "Sources":
        """The same sources resampled: bilinear up, area-averaged down."""

        def fit(plane: NDArray[np.uint8]) -> NDArray:
            if plane.shape == (height, width):
                return plane
            down = plane.shape[0] >= height and plane.shape[1] >= width
            return cv2.resize(plane, (width, height), interpolation=cv2.INTER_AREA if down else cv2.INTER_LINEAR)

        return Sources(
            self.base.resized(width, height),
            [fit(plane) for plane in self.coverages],
            self.overlap,
            {key: raster.resized(width, height) for key, raster in self.textures.items()},
        )


@njit(nogil=True, cache=True)
def _load_srgb8(pixels, table, r, g, b):  # type: ignore[no-untyped-def]
    for i in range(r.size):
        r[i], g[i], b[i] = table[pixels[i, 0]], table[pixels[i, 1]], table[pixels[i, 2]]


@njit(nogil=True, cache=True)
def _store_srgb8(r, g, b, r_bits, g_bits, b_bits, offsets, slopes, out):  # type: ignore[no-untyped-def]
    for i in range(r.size):
        out[i, 0] = encode_code(r[i], r_bits[i], offsets, slopes)
        out[i, 1] = encode_code(g[i], g_bits[i], offsets, slopes)
        out[i, 2] = encode_code(b[i], b_bits[i], offsets, slopes)


def _store(planes: tuple[F32, F32, F32], out: NDArray[np.uint8]) -> None:
    r, g, b = planes
    r_bits, g_bits, b_bits = r.view(np.int32), g.view(np.int32), b.view(np.int32)
    _store_srgb8(r, g, b, r_bits, g_bits, b_bits, PIECE_OFFSETS, PIECE_SLOPES, out)


def evaluate(
    steps: Sequence[BoundStep],
    sources: Sources,
    *,
    size: tuple[int, int] | None = None,
    box: Box | None = None,
    float_output: bool = False,
    progress: Progress = no_progress,
    workers: int = 0,
) -> Raster:
    """Run the steps over the sources.

    size: (width, height) of the result; a smaller one than the sources' own is evaluated in full and area-averaged in
    linear light, which is what a game's mip chain of the result would show; a larger one samples the sources bilinearly.
    box: (left, top, right, bottom) in texels of the working size, to evaluate only there (not together with `size`).
    workers: threads, 0 is one for each core.
    Returns 8-bit sRGB (height, width, 3), or with `float_output` linear float32, not clamped.
    """
    width, height = sources.size
    if size is not None and (size[0] > width or size[1] > height):
        width, height = max(size[0], width), max(size[1], height)
    working = sources.at_size(width, height)
    left, top, right, bottom = box or (0, 0, width, height)
    needs_shrinking = size is not None and size != (width, height)
    as_float = float_output or needs_shrinking
    out = np.empty((bottom - top, right - left, 3), np.float32 if as_float else np.uint8)
    rows = max(1, TILE_TEXELS // max(1, right - left))
    used = _used_steps(steps)

    def one_tile(start: int) -> None:
        stop = min(start + rows, bottom)
        tile = (left, start, right, stop)
        r, g, b = _run_tile(used, working, tile)
        target = out[start - top : stop - top].reshape(-1, 3)
        if as_float:
            target[:, 0], target[:, 1], target[:, 2] = r, g, b
        else:
            _store((r, g, b), target)

    run_over(range(top, bottom, rows), one_tile, progress, workers)
    if not as_float:
        return Raster(out, Encoding.SRGB)
    result = Raster(out, Encoding.LINEAR)
    if needs_shrinking and size is not None:
        result = result.resized(*size)
    if float_output:
        return result
    return Raster(encode_srgb_8bit(result.pixels), Encoding.SRGB)


def trace(steps: Sequence[BoundStep], sources: Sources, x: int, y: int) -> list[F32]:
    """The linear color of one texel at the start and after every step, switched-off steps included: (3,) each."""
    box = (x, y, x + 1, y + 1)
    planes = _load_base(sources.base, box)
    weights = _Weights(sources, box)
    colors = [np.array([plane[0] for plane in planes], np.float32)]
    for step in steps:
        _run_step(step, planes, weights, sources, box)
        colors.append(np.array([plane[0] for plane in planes], np.float32))
    return colors


def _used_steps(steps: Sequence[BoundStep]) -> list[BoundStep]:
    return [step for step in steps if step.amount != 0 and step.regions != ()]


def _run_tile(steps: Sequence[BoundStep], sources: Sources, box: Box) -> tuple[F32, F32, F32]:
    planes = _load_base(sources.base, box)
    weights = _Weights(sources, box)
    for step in steps:
        _run_step(step, planes, weights, sources, box)
    return planes


def _run_step(step: BoundStep, planes: tuple[F32, F32, F32], weights: "_Weights", sources: Sources, box: Box) -> None:
    weight = weights.of(step.regions)
    if weight is None:
        return
    channels = {}
    for channel in step.kind.channels:
        reference = step.channels.get(channel.key)
        if reference is not None and reference.texture in sources.textures:
            channels[channel.key] = _channel(sources.textures[reference.texture], reference, box)
        else:
            channels[channel.key] = np.full(weight.size, channel.neutral, np.float32)
    step.kind.kernel(*planes, weight, step.amount, step.values, channels)


class _Weights:
    """Resolved coverages of one tile; made once, and only when a step needs them."""

    def __init__(self, sources: Sources, box: Box) -> None:
        self._sources, self._box = sources, box
        self._texels = (box[2] - box[0]) * (box[3] - box[1])
        self._present: list[int] | None = None
        self._resolved: NDArray[np.float32] = np.empty(0, np.float32)

    def of(self, regions: tuple[int, ...] | None) -> F32 | None:
        """The weight of each texel, or None when it is zero everywhere in the tile."""
        if regions is None:
            return np.ones(self._texels, np.float32)
        if self._present is None:
            self._resolve()
        assert self._present is not None
        rows = [self._present.index(region) for region in regions if region in self._present]
        if not rows:
            return None
        if len(rows) == 1:
            return self._resolved[rows[0]]
        return np.minimum(self._resolved[rows].sum(0), np.float32(1))

    def _resolve(self) -> None:
        left, top, right, bottom = self._box
        tiles = [plane[top:bottom, left:right] for plane in self._sources.coverages]
        self._present = [i for i, tile in enumerate(tiles) if tile.any()]
        raw = np.empty((len(self._present), self._texels), np.float32)
        for row, index in enumerate(self._present):
            np.multiply(tiles[index].reshape(-1), np.float32(1 / 255), out=raw[row], casting="unsafe")
        self._resolved = resolve_overlap(raw, self._sources.overlap) if len(raw) > 1 else raw


def _cut(raster: Raster, box: Box) -> NDArray:
    left, top, right, bottom = box
    return raster.pixels[top:bottom, left:right].reshape(-1, raster.channels)


def _load_base(raster: Raster, box: Box) -> tuple[F32, F32, F32]:
    pixels = _cut(raster, box)
    if raster.encoding is Encoding.SRGB and pixels.dtype == np.uint8 and raster.channels >= 3:
        r, g, b = (np.empty(len(pixels), np.float32) for _ in range(3))
        _load_srgb8(pixels, DECODE_8BIT, r, g, b)
        return r, g, b
    values = pixels.astype(np.float32)
    if pixels.dtype != np.float32:
        values *= np.float32(1 / np.iinfo(pixels.dtype).max)
    if raster.encoding is Encoding.SRGB:
        values = decode_srgb(values)
    columns = (0, 1, 2) if raster.channels >= 3 else (0, 0, 0)
    r, g, b = (np.array(values[:, column], np.float32) for column in columns)
    return r, g, b


def _channel(raster: Raster, reference: ChannelRef, box: Box) -> F32:
    pixels = _cut(raster, box)
    column = reference.channel if raster.channels >= 3 else (raster.channels - 1 if reference.channel == 3 else 0)
    if column >= raster.channels or (reference.channel == 3 and raster.channels in (1, 3)):
        plane = np.ones(len(pixels), np.float32)
    else:
        plane = pixels[:, column].astype(np.float32)
        if pixels.dtype != np.float32:
            plane *= np.float32(1 / np.iinfo(pixels.dtype).max)
    return np.float32(1) - plane if reference.invert else plane
