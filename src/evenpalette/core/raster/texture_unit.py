"""What a game sees of a texture: stored in a format, read by a sampler, from near or far; measured against the truth.

Filtering, wrap and levels: OpenGL 4.6 core, sections 8.14 and 8.15. Anisotropic filtering is up to the driver: here it
is the mean of trilinear reads along the longer axis (EXT_texture_filter_anisotropic, as its text suggests).
"""

import math
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.kernels import njit, prange
from evenpalette.core.raster.compress import BYTES_PER_TEXEL, packed_and_back
from evenpalette.core.raster.mips import mip_chain
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import resize_plane

F32 = NDArray[np.float32]
PLAIN = "uncompressed"
FORMATS = (PLAIN, *BYTES_PER_TEXEL)


class Filter(StrEnum):
    """How a sampler reads: one texel, four, eight of two levels, or several of those along an axis."""

    NEAREST = "nearest"
    BILINEAR = "bilinear"
    TRILINEAR = "trilinear"
    ANISOTROPIC = "anisotropic"


@dataclass(frozen=True)
class Setting:
    """How a texture is stored and read. srgb_flag: whether the sampler decodes it as color; None is as the texture
    says.
    bits: of a channel on disk."""

    form: str = PLAIN
    reads: Filter = Filter.TRILINEAR
    mips: bool = True
    repeats: bool = True
    srgb_flag: bool | None = None

    def words(self) -> str:
        """The setting in a few words."""
        flag = "" if self.srgb_flag is None else ", as color" if self.srgb_flag else ", as data"
        return f"{self.form}, {self.reads}{', mips' if self.mips else ', no mips'}{'' if self.repeats else ', clamped'}{flag}"


@njit(nogil=True, cache=True, parallel=True)
def _sample(pixels, u, v, repeats, nearest, out):  # type: ignore[no-untyped-def]
    """out (n, c) = the level, float32 (h, w, c), at (u, v)."""
    height, width, channels = pixels.shape
    for i in prange(u.size):
        x, y = u[i] * width, v[i] * height
        if nearest:
            column, row = np.int64(np.floor(x)), np.int64(np.floor(y))
            if repeats:
                column, row = column % width, row % height
            else:
                column, row = min(max(column, np.int64(0)), width - 1), min(max(row, np.int64(0)), height - 1)
            for k in range(channels):
                out[i, k] = pixels[row, column, k]
            continue
        x, y = x - 0.5, y - 0.5
        left, top = np.int64(np.floor(x)), np.int64(np.floor(y))
        fx, fy = np.float32(x - left), np.float32(y - top)
        right, bottom = left + 1, top + 1
        if repeats:
            left, right, top, bottom = left % width, right % width, top % height, bottom % height
        else:
            left, right = min(max(left, np.int64(0)), width - 1), min(max(right, np.int64(0)), width - 1)
            top, bottom = min(max(top, np.int64(0)), height - 1), min(max(bottom, np.int64(0)), height - 1)
        for k in range(channels):
            upper = pixels[top, left, k] + (pixels[top, right, k] - pixels[top, left, k]) * fx
            lower = pixels[bottom, left, k] + (pixels[bottom, right, k] - pixels[bottom, left, k]) * fx
            out[i, k] = upper + (lower - upper) * fy


class Sampled:
    """A texture as a game holds it."""

    def __init__(self, raster: Raster, setting: Setting) -> None:
        """raster: 8-bit, any channels. Wider ones are stored as their nearest 8 bits where the format has no more."""
        self.raster, self.setting = raster, setting
        levels = mip_chain(raster).levels if setting.mips else (raster,)
        is_color = raster.encoding is Encoding.SRGB if setting.srgb_flag is None else setting.srgb_flag
        self.levels: list[F32] = []
        for level in levels:
            values = stored(level, setting.form)
            if is_color:
                values = values.copy()
                color = 3 if values.shape[2] >= 3 else 1
                values[..., :color] = decode_srgb(values[..., :color])
            self.levels.append(np.ascontiguousarray(values, np.float32))

    def at(self, u: NDArray, v: NDArray, lod: float = 0.0, axis: tuple[float, float] | None = None) -> F32:
        """Read at coordinates (...), v down, at a level of detail: float32 (..., channels), linear light for color.

        axis: for anisotropic reads, the longer step between pixels in (u, v).
        """
        flat_u, flat_v = (
            np.ascontiguousarray(np.broadcast_to(c, np.broadcast_shapes(u.shape, v.shape)).reshape(-1), np.float64)
            for c in (u, v)
        )
        shape = np.broadcast_shapes(u.shape, v.shape)
        if self.setting.reads is Filter.ANISOTROPIC and axis is not None:
            width, height = self.raster.size
            long = math.hypot(axis[0] * width, axis[1] * height)
            count = max(1, min(16, math.ceil(long)))
            fine = max(0.0, lod - math.log2(count))
            parts = [(i + 0.5) / count - 0.5 for i in range(count)]
            reads = [self._trilinear(flat_u + axis[0] * p, flat_v + axis[1] * p, fine) for p in parts]
            return np.asarray(np.mean(reads, 0), np.float32).reshape(*shape, -1)
        return self._trilinear(flat_u, flat_v, lod).reshape(*shape, -1)

    def _trilinear(self, u: NDArray, v: NDArray, lod: float) -> F32:
        last, reads = len(self.levels) - 1, self.setting.reads
        lod = min(max(lod, 0.0), float(last))
        if reads in (Filter.NEAREST, Filter.BILINEAR):
            # The nearest level: ceil(lod + 0.5) - 1 (section 8.14.3).
            return self._level(u, v, max(0, math.ceil(lod + 0.5) - 1), reads is Filter.NEAREST)
        low = int(lod)
        share = np.float32(lod - low)
        first = self._level(u, v, low, False)
        return first if share == 0 else first + (self._level(u, v, min(low + 1, last), False) - first) * share

    def _level(self, u: NDArray, v: NDArray, level: int, nearest: bool) -> F32:
        pixels = self.levels[level]
        out = np.empty((u.size, pixels.shape[2]), np.float32)
        _sample(pixels, u, v, self.setting.repeats, nearest, out)
        return out

    @property
    def bytes_in_memory(self) -> int:
        """Bytes of all levels on the GPU."""
        return sum(
            level_bytes(level.shape[1], level.shape[0], level.shape[2], self.setting.form) for level in self.levels
        )


def stored(raster: Raster, form: str) -> F32:
    """The values 0..1 that a format keeps of a picture, float32 (height, width, channels); BC4 has one channel, BC5
    two.

    Raises EvenPaletteError for a format that is not known.
    """
    if form == PLAIN:
        return raster.as_unit()
    if form not in BYTES_PER_TEXEL:
        raise EvenPaletteError(f"'{form}' is no format. There are: {', '.join(FORMATS)}.")
    rgba = rgba8(raster)
    back = packed_and_back(rgba, form, is_color=raster.encoding is Encoding.SRGB)
    channels = {"BC1": 3, "BC4": 1, "BC5": 2}.get(form, 4 if raster.channels in (2, 4) else 3)
    return np.ascontiguousarray(back[..., :channels].astype(np.float32) / 255)


def rgba8(raster: Raster) -> NDArray[np.uint8]:
    """The stored values as uint8 (height, width, 4): gray three times, alpha 255 where there is none."""
    values = (
        raster.pixels
        if raster.pixels.dtype == np.uint8
        else np.rint(np.clip(raster.as_unit(), 0, 1) * 255).astype(np.uint8)
    )
    color = values[..., :3] if raster.channels >= 3 else np.repeat(values[..., :1], 3, -1)
    alpha = values[..., -1:] if raster.channels in (2, 4) else np.full((*values.shape[:2], 1), 255, np.uint8)
    return np.ascontiguousarray(np.concatenate([color, alpha], -1))


def level_bytes(width: int, height: int, channels: int, form: str) -> int:
    """Bytes of one level on the GPU; blocks are 4 by 4, and three channels take the room of four."""
    if form == PLAIN:
        return width * height * (4 if channels == 3 else channels)
    return int(-(-width // 4) * -(-height // 4) * 16 * BYTES_PER_TEXEL[form])


def chain_bytes(size: tuple[int, int], channels: int, form: str, *, mips: bool = True) -> int:
    """Bytes of a texture of (width, height) on the GPU, with its levels down to one texel or without."""
    (width, height), total = size, 0
    while True:
        total += level_bytes(width, height, channels, form)
        if not mips or max(width, height) == 1:
            return total
        width, height = max(1, width // 2), max(1, height // 2)


def grid(size: tuple[int, int]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(u, v) of the texel centers of a picture of (width, height), ready to broadcast: (1, width) and (height, 1)."""
    return ((np.arange(size[0]) + 0.5) / size[0])[None], ((np.arange(size[1]) + 0.5) / size[1])[:, None]


def at_distance(raster: Raster, distance: float) -> tuple[int, int]:
    """The size in pixels of a texture 2^distance times further away than where a texel is a pixel; nearer below 0."""
    factor = 2.0**-distance
    return max(1, round(raster.width * factor)), max(1, round(raster.height * factor))


def drawn(texture: Sampled, distance: float, stride: int = 1) -> F32:
    """The whole texture as drawn from a distance, linear RGB (or its channels) float32 (height, width, channels).

    stride: of the rows only every so manieth."""
    size = at_distance(texture.raster, distance)
    u, v = grid(size)
    v = v[::stride]
    lod = math.log2(max(texture.raster.width / size[0], texture.raster.height / size[1], 1e-9))
    return texture.at(u, v, lod, (1 / size[0], 0.0))


def truth(raster: Raster, distance: float, stride: int = 1) -> F32:
    """What would be seen with endless samples: areas averaged from afar, bilinear from near, in linear light for
    color."""
    size = at_distance(raster, distance)
    if distance > 0:
        return np.asarray(resize_plane(raster.as_linear(), size), np.float32).reshape(size[1], size[0], -1)[::stride]
    return drawn(Sampled(raster, Setting(PLAIN, Filter.BILINEAR, mips=False, repeats=False)), distance, stride)
