"""Which colors pictures have, and how much of each: cells of nearly equal colors with their means."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.din99 import srgb8_to_din99b
from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import ImageFileError
from evenpalette.core.kernels import njit, prange
from evenpalette.core.raster.raster import Encoding, Raster, quantize

#: Bits kept of each channel: without alpha 7, 7, 7; with it 6, 6, 6 and 5 of the alpha.
_KEYS = {3: (1, 1, 1), 4: (2, 2, 2, 3)}
#: In DIN99b, what an alpha from 0 to 1 counts like a difference of.
ALPHA_WEIGHT = 60.0


@dataclass(frozen=True)
class Census:
    """codes: mean 8-bit colors of the cells, float64 (n, 3 or 4). weights: how much they count, float64 (n,).
    points: where they lie, float32 (n, 3 or 4), see `points_of`. cells: int32 table from keys to cells, -1 for none."""

    codes: NDArray[np.float64]
    weights: NDArray[np.float64]
    points: NDArray[np.float32]
    cells: NDArray[np.int32]

    @property
    def channels(self) -> int:
        """3, or 4 with alpha."""
        return self.codes.shape[1]


def codes_of(raster: Raster, *, alpha: bool | None = None) -> NDArray[np.uint8]:
    """The picture as 8-bit sRGB codes (height, width, 3 or 4). alpha: whether with it, None is where it has any."""
    pixels = raster.pixels
    if pixels.dtype != np.uint8:
        # Wide data and light as the nearest 8-bit codes; what is brighter than white is white.
        color = (
            encode_srgb(np.clip(raster.as_linear_rgb(), 0, 1))
            if raster.encoding is not Encoding.DATA
            else raster.as_unit()
        )
        parts = [color, raster.as_unit()[..., -1:]] if raster.channels in (2, 4) and color.shape[-1] == 3 else [color]
        pixels = quantize(np.concatenate(parts, -1), np.dtype(np.uint8))
    has_alpha = pixels.shape[-1] in (2, 4)
    color = pixels[..., :3] if pixels.shape[-1] >= 3 else np.repeat(pixels[..., :1], 3, -1)
    wanted = has_alpha if alpha is None else alpha
    if not wanted:
        return np.ascontiguousarray(color)
    opacity = pixels[..., -1:] if has_alpha else np.full((*color.shape[:2], 1), 255, np.uint8)
    return np.ascontiguousarray(np.concatenate([color, opacity], -1))


def points_of(codes: NDArray) -> NDArray[np.float32]:
    """Where colors, 8-bit codes (n, 3 or 4), lie for clustering: DIN99b; with alpha premultiplied, and the alpha
    too."""
    color = srgb8_to_din99b(np.rint(codes[:, :3]).astype(np.uint8))
    if codes.shape[1] == 3:
        return color
    alpha = (codes[:, 3:] / 255).astype(np.float32)
    return np.concatenate([color * alpha, alpha * np.float32(ALPHA_WEIGHT)], 1)


@njit(nogil=True, cache=True)
def _count(codes, drops, weights, cells, sums, totals, used):  # type: ignore[no-untyped-def]
    """Sums of each cell in the order in which cells are met. Returns how many there are, -1 where there is no room."""
    channels = codes.shape[1]
    for i in range(codes.shape[0]):
        weight = weights[i] if weights.size else 1.0
        key = 0
        for k in range(channels):
            key = (key << (8 - drops[k])) | (codes[i, k] >> drops[k])
        if weight <= 0:
            continue
        cell = cells[key]
        if cell < 0:
            if used == totals.size:
                return -1
            cell = used
            cells[key] = cell
            used += 1
        totals[cell] += weight
        for k in range(channels):
            sums[cell, k] += weight * codes[i, k]
    return used


def keys_of(channels: int) -> tuple[int, NDArray[np.int64]]:
    """How many keys there are, and the bits dropped of each channel."""
    drops = np.array(_KEYS[channels], np.int64)
    return 1 << int((8 - drops).sum()), drops


def take_census(rasters: Sequence[Raster], importance: Sequence[NDArray | None] = ()) -> Census:
    """The colors of pictures together. importance: for each a plane (height, width) of weights, None counts all alike;
    what is transparent never counts. Raises ImageFileError where nothing counts."""
    alpha = any(raster.is_cut for raster in rasters)
    size, drops = keys_of(4 if alpha else 3)
    cells = np.full(size, -1, np.int32)
    room = min(size, sum(raster.width * raster.height for raster in rasters))
    sums, totals, used = np.zeros((room, len(drops))), np.zeros(room), 0
    for number, raster in enumerate(rasters):
        codes = codes_of(raster, alpha=alpha)
        weights = importance[number] if number < len(importance) else None
        counted = np.zeros(0) if weights is None else np.ascontiguousarray(weights, np.float64).reshape(-1)
        used = _count(codes.reshape(-1, codes.shape[-1]), drops, counted, cells, sums, totals, used)
    if not used:
        raise ImageFileError("No texel counts: everything is transparent or has no weight.")
    codes_found = sums[:used] / totals[:used, None]
    return Census(codes_found, totals[:used].copy(), points_of(codes_found), cells)


@njit(nogil=True, cache=True, parallel=True)
def spread_cells(codes, drops, of_cell, cells, out):  # type: ignore[no-untyped-def]
    """What each cell has, for every texel. Cells that no census met have -1."""
    for i in prange(codes.shape[0]):
        key = 0
        for k in range(codes.shape[1]):
            key = (key << (8 - drops[k])) | (codes[i, k] >> drops[k])
        cell = cells[key]
        out[i] = of_cell[cell] if cell >= 0 else -1
