"""Running a recipe on the CPU: the reference that writes every delivered texel.

Tiles stay in the cache through all steps; worker threads take tiles; kernels release the GIL.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

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
from evenpalette.core.raster.reading import channel_values, plane_at, unit_values
from evenpalette.core.recipe.affine import apply_affine
from evenpalette.core.recipe.binding import BoundRow, BoundStep
from evenpalette.core.recipe.model import ChannelRef
from evenpalette.core.recipe.weights import Sharing, TileWeights
from evenpalette.core.regions.model import Overlap
from evenpalette.core.scratch import filled, scratch

#: Large enough that taking turns at the interpreter lock between kernels costs little: with two threads 256k texels
#: measured a fifth faster than 64k, which fit the nearest caches better.
TILE_TEXELS = 262144
Box = tuple[int, int, int, int]


@dataclass(frozen=True, eq=False)
class Sources:
    """Everything a recipe reads, by name.

    base: the tone (one channel, data) or a color texture. coverages: uint8 (height, width) planes in region order,
    division after division. sharings: the divisions; by default one, exclusive, of all coverages. textures: what
    channel references name.
    """

    base: Raster
    coverages: Sequence[NDArray[np.uint8]] = ()
    sharings: Sequence[Sharing] = ()
    textures: Mapping[str, Raster] = field(default_factory=dict)

    @property
    def divisions(self) -> Sequence[Sharing]:
        """The divisions, the default one included."""
        return self.sharings or (Sharing(Overlap.EXCLUSIVE, len(self.coverages)),)

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
            self.sharings,
            {key: Raster(cut(raster.pixels), raster.encoding) for key, raster in self.textures.items()},
        )

    def at_size(self, width: int, height: int) -> "Sources":
        """The same sources resampled: bilinear up, area-averaged down. What was made is remembered for a while."""
        size = (width, height)
        return Sources(
            self.base.resized(width, height),
            [plane_at(plane, size) for plane in self.coverages],
            self.sharings,
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
    used = [step for step in steps if not step.is_idle]

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
    weights = TileWeights(sources.coverages, sources.divisions, box)
    colors = [np.array([plane[0] for plane in planes], np.float32)]
    for step in steps:
        if not step.is_idle:
            _run_step(step, planes, weights, sources, box)
        colors.append(np.array([plane[0] for plane in planes], np.float32))
    return colors


Planes = tuple[F32, F32, F32]


def _run_tile(steps: Sequence[BoundStep], sources: Sources, box: Box) -> Planes:
    planes = _load_base(sources.base, box)
    weights = TileWeights(sources.coverages, sources.divisions, box)
    for step in steps:
        _run_step(step, planes, weights, sources, box)
    return planes


def _run_step(step: BoundStep, planes: Planes, tile: TileWeights, sources: Sources, box: Box) -> None:
    found = tile.of(step)
    if not found.rows:
        return
    rows, weights = [step.rows[k] for k in found.rows], found.weights
    matrices = step.matrices
    if matrices is not None:
        apply_affine(planes, weights, matrices[found.rows])
        return
    channels = {}
    for channel in step.kind.channels:
        reference = step.channels.get(channel.key)
        if reference is not None and reference.texture in sources.textures:
            channels[channel.key] = _channel(sources.textures[reference.texture], reference, box, channel.key)
        else:
            channels[channel.key] = filled(tile.texels, channel.neutral)
    _run_rows(step, rows, planes, weights, channels)


def _run_rows(
    step: BoundStep, rows: list[BoundRow], planes: Planes, weights: F32, channels: Mapping[str, F32]
) -> None:
    """Run every row's operation on what was there before the step.

    Where at most one row has a weight, one after the other is the same as all at once; the few texels that rows share
    are done apart.
    """
    shared = np.flatnonzero((weights > 0).sum(0) > 1) if len(rows) > 1 else np.empty(0, np.int64)
    before = [plane[shared] for plane in planes]
    for row, weight in zip(rows, weights, strict=True):
        step.kind.kernel(*planes, weight, 1.0, row.values, channels)
    if not len(shared):
        return
    here = {key: plane[shared] for key, plane in channels.items()}
    after = [plane.copy() for plane in before]
    for row, weight in zip(rows, weights, strict=True):
        r, g, b = (plane.copy() for plane in before)
        step.kind.kernel(r, g, b, np.ascontiguousarray(weight[shared]), 1.0, row.values, here)
        for total, changed, was in zip(after, (r, g, b), before, strict=True):
            total += changed - was
    for plane, total in zip(planes, after, strict=True):
        plane[shared] = total


def _cut(raster: Raster, box: Box) -> NDArray:
    left, top, right, bottom = box
    return raster.pixels[top:bottom, left:right].reshape(-1, raster.channels)


def _load_base(raster: Raster, box: Box) -> tuple[F32, F32, F32]:
    pixels = _cut(raster, box)
    if raster.encoding is Encoding.SRGB and pixels.dtype == np.uint8 and raster.channels >= 3:
        r, g, b = scratch("color", (3, len(pixels)))
        _load_srgb8(pixels, DECODE_8BIT, r, g, b)
        return r, g, b
    values = unit_values(pixels)
    if raster.encoding is Encoding.SRGB:
        values = decode_srgb(values)
    columns = (0, 1, 2) if raster.channels >= 3 else (0, 0, 0)
    r, g, b = (np.array(values[:, column], np.float32) for column in columns)
    return r, g, b


def _channel(raster: Raster, reference: ChannelRef, box: Box, key: str) -> F32:
    pixels = _cut(raster, box)
    plane = channel_values(pixels, reference.channel, scratch(f"channel {key}", pixels.shape[:-1]))
    return np.subtract(np.float32(1), plane, out=plane) if reference.invert else plane
