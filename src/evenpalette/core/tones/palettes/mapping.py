"""The entry of a palette for every texel: the nearest one, or a pattern of several that looks like the color between.

Ordered: B. E. Bayer, "An optimum method for two-level rendition of continuous-tone pictures", 1973. Diffusion: R. W.
Floyd, L. Steinberg, "An adaptive algorithm for spatial greyscale", 1976, in linear light, every other row backward.
"""

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import DECODE_8BIT, encode_srgb
from evenpalette.core.kernels import njit, prange
from evenpalette.core.tones.palettes.census import keys_of, points_of, spread_cells
from evenpalette.core.tones.palettes.nearest import nearest

#: Bits of each channel that the table for dithering tells apart.
_TABLE_BITS = 5


class Dither(StrEnum):
    """How texels stand for colors between two entries."""

    NONE = "none"
    ORDERED = "ordered"
    DIFFUSION = "diffusion"


def bayer(size: int = 8) -> NDArray[np.float64]:
    """Thresholds -0.5..0.5 of mean 0, (size, size); size is a power of two."""
    matrix = np.zeros((1, 1))
    while len(matrix) < size:
        matrix = np.block([[4 * matrix, 4 * matrix + 2], [4 * matrix + 3, 4 * matrix + 1]])
    return (matrix + 0.5) / matrix.size - 0.5


def nearest_entries(codes: NDArray, palette: NDArray[np.uint8]) -> NDArray[np.int64]:
    """The nearest entry of colors, 8-bit codes (n, 3 or 4), in DIN99b."""
    return nearest(points_of(codes), points_of(palette))[0]


def map_codes(
    codes: NDArray[np.uint8], palette: NDArray[np.uint8], dither: Dither = Dither.NONE,
    known: tuple[NDArray[np.int32], NDArray[np.int64]] | None = None,
) -> NDArray[np.uint8]:  # fmt: skip
    """The entry of every texel, uint8 (height, width). codes: uint8 (height, width, 3 or 4); palette as wide, at most
    256 entries. known: the cells of a census and the entry of each, which saves looking for them."""
    height, width, channels = codes.shape
    flat = codes.reshape(-1, channels)
    if dither is Dither.NONE:
        return _plain(flat, palette, known).reshape(height, width)
    table = _table(palette[:, :3])
    out = np.empty((height, width), np.uint8)
    if dither is Dither.ORDERED:
        _ordered(codes, bayer().astype(np.float32) * np.float32(_spacing(palette)), table, out)
    else:
        light = np.ascontiguousarray(np.take(DECODE_8BIT, palette[:, :3]))
        encode = np.rint(encode_srgb(np.arange(4097) / 4096) * 255).astype(np.uint8)
        _diffuse(codes, DECODE_8BIT, encode, light, table, out)
    if channels == 4:
        # What is transparent is not a mixture of anything.
        hidden = codes[..., 3] < 255
        if hidden.any():
            out[hidden] = _plain(np.ascontiguousarray(codes[hidden]), palette, known)
    return out


def _plain(flat: NDArray[np.uint8], palette: NDArray[np.uint8], known: tuple | None) -> NDArray[np.uint8]:
    _, drops = keys_of(flat.shape[1])
    out = np.full(len(flat), -1, np.int64)
    if known is not None:
        spread_cells(flat, drops, known[1], known[0], out)
    missing = np.flatnonzero(out < 0)
    if len(missing):
        rest = flat[missing]
        packed = np.zeros(len(rest), np.int64)
        for k in range(rest.shape[1]):
            packed = packed << 8 | rest[:, k]
        _, first, inverse = np.unique(packed, return_index=True, return_inverse=True)
        out[missing] = nearest_entries(rest[first], palette)[inverse.reshape(-1)]
    return out.astype(np.uint8)


def _table(palette: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The nearest entry of the middle of every cell of the color cube, uint8 (32768,)."""
    side = 1 << _TABLE_BITS
    middles = (np.arange(side) * 255 / (side - 1)).round()
    grid = np.stack(np.meshgrid(middles, middles, middles, indexing="ij"), -1).reshape(-1, 3)
    return nearest_entries(grid, palette).astype(np.uint8)


def _spacing(palette: NDArray[np.uint8]) -> float:
    """How far entries are apart in 8-bit codes of one channel, about."""
    colors = palette[:, :3].astype(np.float64)
    apart = np.abs(colors[:, None] - colors[None]).max(-1) + np.eye(len(colors)) * 1e9
    return float(np.clip(np.median(apart.min(1)) if len(colors) > 1 else 0, 4, 96))


@njit(nogil=True, cache=True, inline="always")
def _cell(r, g, b):  # type: ignore[no-untyped-def]
    return (
        ((np.int64(r * 31 + 127) // 255) << 10)
        | ((np.int64(g * 31 + 127) // 255) << 5)
        | (np.int64(b * 31 + 127) // 255)
    )


@njit(nogil=True, cache=True, parallel=True)
def _ordered(codes, thresholds, table, out):  # type: ignore[no-untyped-def]
    size = thresholds.shape[0]
    for y in prange(codes.shape[0]):
        for x in range(codes.shape[1]):
            t = thresholds[y % size, x % size]
            r = min(max(codes[y, x, 0] + t, 0.0), 255.0)
            g = min(max(codes[y, x, 1] + t, 0.0), 255.0)
            b = min(max(codes[y, x, 2] + t, 0.0), 255.0)
            out[y, x] = table[_cell(np.int64(r + 0.5), np.int64(g + 0.5), np.int64(b + 0.5))]


@njit(nogil=True, cache=True)
def _diffuse(codes, decode, encode, light, table, out):  # type: ignore[no-untyped-def]
    height, width = out.shape
    here, below = np.zeros((width + 2, 3), np.float32), np.zeros((width + 2, 3), np.float32)
    cell = np.zeros(3, np.int64)
    for y in range(height):
        forward = y % 2 == 0
        step = 1 if forward else -1
        for i in range(width):
            x = i if forward else width - 1 - i
            for k in range(3):
                value = decode[codes[y, x, k]] + here[x + 1, k]
                here[x + 1, k] = min(max(value, np.float32(0)), np.float32(1))
                cell[k] = encode[np.int64(here[x + 1, k] * 4096 + 0.5)]
            entry = table[_cell(cell[0], cell[1], cell[2])]
            out[y, x] = entry
            for k in range(3):
                error = here[x + 1, k] - light[entry, k]
                here[x + 1 + step, k] += error * np.float32(7 / 16)
                below[x + 1 - step, k] += error * np.float32(3 / 16)
                below[x + 1, k] += error * np.float32(5 / 16)
                below[x + 1 + step, k] += error * np.float32(1 / 16)
        here, below = below, here
        below[:] = 0
