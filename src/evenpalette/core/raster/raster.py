"""Raster: an image that knows what its numbers mean."""

from enum import StrEnum
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32, decode_srgb, decode_srgb_8bit, encode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.raster.reading import channel_values, derived, resize_plane, unit_values

#: What is larger than this as floats is made larger in strips.
_MOST_FLOAT_BYTES = 192 << 20
#: What the channels of an image are called, in their order.
CHANNEL_NAMES = ("red", "green", "blue", "alpha")


class Encoding(StrEnum):
    """What the stored values are: `srgb` color, `linear` (HDR) color, or `data` that is never color-converted."""

    SRGB = "srgb"
    LINEAR = "linear"
    DATA = "data"


@dataclass(frozen=True)
class Raster:
    """An image of shape (height, width, channels), C-contiguous, with 1 to 4 channels, and its encoding.

    dtype uint8 and uint16 stand for 0..1 in 255 and 65535 steps; float32 is taken as it is. Treated as immutable:
    anything that changes pixels makes a new Raster, so rasters can be shared by history, threads and views.
    """

    pixels: NDArray
    encoding: Encoding

    def __post_init__(self) -> None:
        pixels = self.pixels
        if pixels.ndim != 3 or not 1 <= pixels.shape[2] <= 4 or pixels.size == 0:
            raise ValueError(f"a raster has shape (height, width, 1..4), not {pixels.shape}")
        if pixels.dtype not in (np.uint8, np.uint16, np.float32):
            raise ValueError(f"a raster is uint8, uint16 or float32, not {pixels.dtype}")

    @classmethod
    def gray(cls, plane: NDArray, encoding: Encoding = Encoding.DATA) -> "Raster":
        """A one-channel raster from a (height, width) array."""
        return cls(np.ascontiguousarray(plane)[..., None], encoding)

    @property
    def height(self) -> int:
        return int(self.pixels.shape[0])

    @property
    def width(self) -> int:
        return int(self.pixels.shape[1])

    @property
    def channels(self) -> int:
        return int(self.pixels.shape[2])

    @property
    def size(self) -> tuple[int, int]:
        """(width, height) in texels."""
        return self.width, self.height

    def as_unit(self) -> F32:
        """The stored values as float32, integers scaled to 0..1, still in their encoding."""
        return unit_values(self.pixels)

    def as_linear(self) -> F32:
        """Linear light, float32 (height, width, channels). Alpha and data are passed through unconverted."""
        if self.encoding is not Encoding.SRGB:
            return self.as_unit()
        color = self.pixels[..., :3] if self.channels >= 3 else self.pixels[..., :1]
        linear = (
            decode_srgb_8bit(color) if color.dtype == np.uint8 else decode_srgb(self.as_unit()[..., : color.shape[2]])
        )
        if self.channels in (2, 4):
            linear = np.concatenate([linear, self.as_unit()[..., -1:]], -1)
        return linear

    def as_linear_rgb(self) -> F32:
        """Linear light with exactly three channels; gray is repeated, alpha dropped."""
        linear = self.as_linear()
        return np.repeat(linear[..., :1], 3, -1) if self.channels <= 2 else linear[..., :3]

    @cached_property
    def is_cut(self) -> bool:
        """Whether it has an alpha that is not everywhere full."""
        if self.channels not in (2, 4):
            return False
        top = 1.0 if self.pixels.dtype == np.float32 else np.iinfo(self.pixels.dtype).max
        return bool((self.pixels[..., -1] < top).any())

    def channel(self, index: int) -> F32:
        """One stored channel as float32 0..1, shape (height, width); gray answers for every color channel."""
        return channel_values(self.pixels, index)

    def resized(self, width: int, height: int) -> "Raster":
        """Area-averaged when smaller, bilinear when larger, in linear light for color; stays in its encoding and
        dtype."""
        if (width, height) == self.size:
            return self
        what = self.encoding, width, height
        return Raster(derived((self.pixels,), what, lambda: self._resized(width, height)), self.encoding)

    def _resized(self, width: int, height: int) -> NDArray:
        if width >= self.width and height > self.height and 4 * width * height * self.channels > _MOST_FLOAT_BYTES:
            return self._enlarged(width, height)
        values = resize_plane(self.as_linear(), (width, height))
        return self.stored_like(np.asarray(values, np.float32).reshape(height, width, self.channels)).pixels

    def _enlarged(self, width: int, height: int) -> NDArray:
        """The same for what would be large as floats: wide at once, then high in strips."""
        wide = resize_plane(self.as_linear(), (width, self.height)).reshape(self.height, width, self.channels)
        out = np.empty((height, width, self.channels), self.pixels.dtype)
        rows = max(1, _MOST_FLOAT_BYTES // (16 * width * self.channels))
        for begin in range(0, height, rows):
            at = (np.arange(begin, min(begin + rows, height)) + 0.5) * self.height / height - 0.5
            upper = np.floor(at).astype(np.int64)
            share = (at - upper).astype(np.float32)[:, None, None]
            above, below = (wide[np.clip(n, 0, self.height - 1)] for n in (upper, upper + 1))
            above += (below - above) * share
            out[begin : begin + len(at)] = self.stored_like(above).pixels
        return out

    def thumbnail(self, longest: int) -> "Raster":
        """The raster area-averaged so that its longest side is at most `longest` texels."""
        factor = longest / max(self.size)
        if factor >= 1:
            return self
        return self.resized(max(1, round(self.width * factor)), max(1, round(self.height * factor)))

    def sampled(self, longest: int) -> "Raster":
        """Every n-th texel, so that the longest side is at most about twice `longest`: a quick look, not a filter."""
        stride = max(1, max(self.size) // longest)
        return Raster(np.ascontiguousarray(self.pixels[::stride, ::stride]), self.encoding)

    def stored_like(self, linear: F32) -> "Raster":
        """Linear light (height, width, channels), float32, in this raster's encoding and dtype; data as it is."""
        if self.encoding is Encoding.SRGB:
            color = 3 if self.channels >= 3 else 1
            linear = np.concatenate([encode_srgb(linear[..., :color]), linear[..., color:]], -1)
        return Raster(quantize(linear, self.pixels.dtype), self.encoding)

    def with_encoding(self, encoding: Encoding) -> "Raster":
        """The same stored numbers, read as something else. Nothing is converted."""
        return Raster(self.pixels, encoding)


def quantize(values: NDArray, dtype: np.dtype) -> NDArray:
    """Unit values to `dtype`, rounded to nearest and clamped; float32 is passed through; C-contiguous."""
    if dtype == np.float32:
        return np.ascontiguousarray(values, np.float32)
    top = np.iinfo(dtype).max
    if top == 255:
        scaled = np.clip(values, 0, 1) * np.float32(top)
        return np.ascontiguousarray(np.rint(scaled, out=scaled).astype(dtype))
    scaled = np.clip(values, 0, 1).astype(np.float64)
    scaled *= top
    return np.ascontiguousarray(np.rint(scaled, out=scaled).astype(dtype))
