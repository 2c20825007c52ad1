"""Our own mip chain, the same on the CPU, in the views and in what a kit says of its textures.

Every level is the area average of the one before: in linear light for color, of the stored values for data, of unit
vectors made unit again for normals. Sizes are those of OpenGL: halved, rounded down, at least 1.
"""

from collections.abc import Iterator
from enum import StrEnum
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.raster.reading import derived

#: Texels of a level that are floats at once.
_STRIP_TEXELS = 1 << 22
_QUARTERS = np.arange(256, dtype=np.uint16) << 2


@cache
def _codes() -> NDArray[np.uint8]:
    """8-bit sRGB codes of linear light in 65,536 steps: a step is at most 0.05 of a code."""
    return np.round(encode_srgb(np.arange(65536) / 65535.0) * 255).astype(np.uint8)


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


class _Smaller(tuple[Raster, ...]):
    """The levels below the raster itself."""

    @property
    def nbytes(self) -> int:
        return sum(level.pixels.nbytes for level in self)


def mip_chain(raster: Raster, kind: MipKind = MipKind.PLAIN) -> MipChain:
    """The raster with all its smaller levels in its encoding and dtype; remembered for a while."""
    smaller = derived((raster.pixels,), (raster.encoding, kind), lambda: _Smaller(_make(raster, kind).levels[1:]))
    return MipChain((raster, *smaller))


def _make(raster: Raster, kind: MipKind) -> MipChain:
    levels = [raster]
    share = _cut_share(raster) if kind is MipKind.CUT_OUT and raster.channels in (2, 4) else None
    # Every level is averaged from what the one before it was before it was rounded: rounding does not add up.
    # Plain 8-bit data is averaged as codes, in which halves are halves, and go up as drivers round them.
    in_codes = raster.pixels.dtype == np.uint8 and raster.encoding is not Encoding.SRGB and kind is not MipKind.NORMAL

    def floats(part: Raster) -> NDArray[np.float32]:
        return part.pixels.astype(np.float32) if in_codes else part.as_linear()

    values: NDArray[np.float32] | None = None
    while max(levels[-1].size) > 1:
        width, height = max(1, levels[-1].width // 2), max(1, levels[-1].height // 2)
        if values is None:
            values = np.empty((height, width, raster.channels), np.float32)
            for part, smaller in _strips(raster, height):
                _average(floats(part), values[smaller])
        else:
            values = _average(values, np.empty((height, width, raster.channels), np.float32))
        if kind is MipKind.NORMAL and raster.channels >= 3:
            values = _unit_vectors(values)
        levels.append(
            Raster((values + np.float32(0.5)).astype(np.uint8), raster.encoding)
            if in_codes
            else _stored(values, raster)
        )
    if share is not None:
        levels[1:] = [_with_share(level, share) for level in levels[1:]]
    return MipChain(tuple(levels))


def _average(values: NDArray[np.float32], out: NDArray[np.float32]) -> NDArray[np.float32]:
    """The area averages of values, in out."""
    height, width, channels = out.shape
    out[...] = cv2.resize(values, (width, height), interpolation=cv2.INTER_AREA).reshape(height, width, channels)
    return out


def _strips(raster: Raster, height: int) -> Iterator[tuple[Raster, slice]]:
    """Parts of a raster whose floats have room, with the rows of the next level, so high, that they become; all of it
    where two rows are not one."""
    step = max(1, _STRIP_TEXELS // raster.width) if raster.height == 2 * height else height
    for top in range(0, height, step):
        rows = slice(2 * top, 2 * (top + step)) if step < height else slice(None)
        yield Raster(raster.pixels[rows], raster.encoding), slice(top, min(top + step, height))


def next_level(raster: Raster, kind: MipKind) -> Raster:
    """The level after one, but for what a cut-out keeps."""
    level = halved(raster)
    return _renormalized(level) if kind is MipKind.NORMAL and raster.channels >= 3 else level


def halved(raster: Raster) -> Raster:
    """The raster at half its width and height."""
    width, height = max(1, raster.width // 2), max(1, raster.height // 2)
    if raster.pixels.dtype == np.uint8 and raster.encoding is not Encoding.SRGB:
        # In quarters of a code, then to the nearest code and halves to the even one: always up would brighten every
        # level.
        quarters = np.asarray(
            cv2.resize(cv2.LUT(raster.pixels, _QUARTERS), (width, height), interpolation=cv2.INTER_AREA), np.uint16
        )
        is_odd = quarters >> 2
        is_odd &= 1
        quarters += is_odd
        quarters += 1
        quarters >>= 2
        return Raster(quarters.reshape(height, width, raster.channels).astype(np.uint8), raster.encoding)
    values = np.asarray(cv2.resize(raster.as_linear(), (width, height), interpolation=cv2.INTER_AREA), np.float32)
    return _stored(values.reshape(height, width, raster.channels), raster)


def _stored(values: NDArray[np.float32], raster: Raster) -> Raster:
    """Linear values as a level of a raster."""
    if raster.pixels.dtype != np.uint8 or raster.encoding is not Encoding.SRGB:
        return raster.stored_like(values)
    color = 3 if raster.channels >= 3 else 1
    codes = np.empty(values.shape, np.uint8)
    codes[..., :color] = np.take(_codes(), (values[..., :color] * 65535 + 0.5).astype(np.uint16))
    codes[..., color:] = np.rint(values[..., color:] * 255).astype(np.uint8)
    return Raster(codes, raster.encoding)


def _renormalized(level: Raster) -> Raster:
    """Vectors stored as 0..1 in the first three channels made unit again; where they cancel out they point up."""
    return Raster(quantize(_unit_vectors(level.as_unit()), level.pixels.dtype), level.encoding)


def _unit_vectors(values: NDArray[np.float32]) -> NDArray[np.float32]:
    vectors = values[..., :3] * np.float32(2) - np.float32(1)
    lengths = np.sqrt(np.einsum("yxc,yxc->yx", vectors, vectors))
    lost = lengths <= 1e-4
    if lost.any():
        vectors[lost], lengths[lost] = (0, 0, 1), 1
    scale = np.float32(0.5) / lengths
    vectors *= cv2.merge((scale, scale, scale))
    vectors += np.float32(0.5)
    return vectors if values.shape[2] == 3 else np.concatenate([vectors, values[..., 3:]], -1)


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


def level_sizes(size: tuple[int, int]) -> list[tuple[int, int]]:
    """(width, height) of every level, the whole texture first."""
    sizes = [size]
    while max(sizes[-1]) > 1:
        sizes.append((max(1, sizes[-1][0] // 2), max(1, sizes[-1][1] // 2)))
    return sizes
