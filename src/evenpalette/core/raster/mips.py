"""Our own mip chain, the same on the CPU, in the views and in what a kit says of its textures.

Every level is the area average of the one before: in linear light for color, of the stored values for data, of unit
vectors made unit again for normals. Sizes are those of OpenGL: halved, rounded down, at least 1.
"""

from dataclasses import dataclass
from enum import StrEnum

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from evenpalette.core.color.encoding import DECODE_8BIT, PIECE_OFFSETS, PIECE_SLOPES, encode_code
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.raster.reading import derived


class MipKind(StrEnum):
    """What is kept from level to level. CUT_OUT: the share of texels whose alpha is at least a half (I. Castaño,
    "Computing Alpha Mipmaps", 2010, from memory)."""

    PLAIN = "plain"
    NORMAL = "normal"
    CUT_OUT = "cut-out"


@dataclass(frozen=True)
class MipChain:
    """levels: the raster itself first, down to one texel."""

    levels: tuple[Raster, ...]

    @property
    def nbytes(self) -> int:
        """Bytes of what was made."""
        return sum(level.pixels.nbytes for level in self.levels[1:])


def mip_chain(raster: Raster, kind: MipKind = MipKind.PLAIN) -> MipChain:
    """The raster with all its smaller levels in its encoding and dtype; remembered for a while."""
    return derived((raster.pixels, raster.encoding), f"mips {kind}", lambda: _make(raster, kind))


def _make(raster: Raster, kind: MipKind) -> MipChain:
    levels = [raster]
    share = _cut_share(raster) if kind is MipKind.CUT_OUT and raster.channels in (2, 4) else None
    while max(levels[-1].size) > 1:
        levels.append(next_level(levels[-1], kind))
    if share is not None:
        levels[1:] = [_with_share(level, share) for level in levels[1:]]
    return MipChain(tuple(levels))


def next_level(raster: Raster, kind: MipKind) -> Raster:
    """The level after one, but for what a cut-out keeps."""
    level = halved(raster)
    return _renormalized(level) if kind is MipKind.NORMAL and raster.channels >= 3 else level


def halved(raster: Raster) -> Raster:
    """The raster at half its width and height."""
    width, height = max(1, raster.width // 2), max(1, raster.height // 2)
    even = raster.width == 2 * width and raster.height == 2 * height
    if even and raster.pixels.dtype == np.uint8:
        out = np.empty((height, width, raster.channels), np.uint8)
        if raster.encoding is Encoding.SRGB:
            color = 3 if raster.channels >= 3 else 1
            _halve_srgb(raster.pixels, DECODE_8BIT, PIECE_OFFSETS, PIECE_SLOPES, color, out)
        else:
            _halve_data(raster.pixels, out)
        return Raster(out, raster.encoding)
    values = cv2.resize(raster.as_linear(), (width, height), interpolation=cv2.INTER_AREA)
    return raster.stored_like(np.asarray(values, np.float32).reshape(height, width, raster.channels))


@njit(nogil=True, cache=True)
def _halve_data(pixels, out):  # type: ignore[no-untyped-def]
    height, width, channels = out.shape
    for y in range(height):
        above, below = pixels[2 * y], pixels[2 * y + 1]
        for x in range(width):
            for c in range(channels):
                total = np.int32(above[2 * x, c]) + above[2 * x + 1, c] + below[2 * x, c] + below[2 * x + 1, c]
                out[y, x, c] = np.uint8((total + 2) >> 2)


@njit(nogil=True, cache=True)
def _halve_srgb(pixels, table, offsets, slopes, color, out):  # type: ignore[no-untyped-def]
    height, width, channels = out.shape
    line = np.empty(width * channels, np.float32)
    bits = line.view(np.int32)
    for y in range(height):
        above, below = pixels[2 * y], pixels[2 * y + 1]
        for x in range(width):
            for c in range(color):
                total = table[above[2 * x, c]] + table[above[2 * x + 1, c]] + table[below[2 * x, c]] + table[below[2 * x + 1, c]]
                line[x * channels + c] = total * np.float32(0.25)
            for c in range(color, channels):
                whole = np.int32(above[2 * x, c]) + above[2 * x + 1, c] + below[2 * x, c] + below[2 * x + 1, c]
                out[y, x, c] = np.uint8((whole + 2) >> 2)
        for x in range(width):
            for c in range(color):
                i = x * channels + c
                out[y, x, c] = encode_code(line[i], bits[i], offsets, slopes)


def _renormalized(level: Raster) -> Raster:
    """Vectors stored as 0..1 in the first three channels made unit again; where they cancel out they point up."""
    values = level.as_unit()
    vectors = values[..., :3] * 2 - 1
    lengths = np.linalg.norm(vectors, axis=-1, keepdims=True)
    unit = np.where(lengths > 1e-4, vectors / np.maximum(lengths, 1e-4), np.array([0, 0, 1], np.float32))
    stored = np.concatenate([unit * 0.5 + 0.5, values[..., 3:]], -1)
    return Raster(quantize(stored.astype(np.float32), level.pixels.dtype), level.encoding)


def _cut_share(raster: Raster) -> float:
    return float((raster.as_unit()[..., -1] >= 0.5).mean())


def _with_share(level: Raster, share: float) -> Raster:
    """The level with its alpha scaled so that this share of its texels is at least a half."""
    values = level.as_unit().copy()
    alpha: NDArray[np.float32] = np.sort(values[..., -1], axis=None)[::-1]
    count = round(share * alpha.size)
    if 0 < count < alpha.size:
        edge = (float(alpha[count - 1]) + float(alpha[count])) / 2
        if edge > 1e-4:
            values[..., -1] = np.clip(values[..., -1] * (0.5 / edge), 0, 1)
    return Raster(quantize(values, level.pixels.dtype), level.encoding)
