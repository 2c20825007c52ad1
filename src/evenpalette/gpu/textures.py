"""Rasters on the GPU, uploaded once each."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.raster.raster import Encoding, Raster

#: Bilinear within the nearest mip level: half the reads of trilinear, which counts where the CPU draws.
SMOOTH = (moderngl.LINEAR_MIPMAP_NEAREST, moderngl.LINEAR)
#: Texels as squares when seen from near.
SQUARE = (moderngl.LINEAR_MIPMAP_NEAREST, moderngl.NEAREST)
_SRGB8, _SRGB8_ALPHA8 = 0x8C41, 0x8C43


def upload(ctx: moderngl.Context, raster: Raster) -> moderngl.Texture:
    """A mipmapped texture that answers with linear light for color and with the stored values for data."""
    pixels, channels = raster.pixels, raster.channels
    internal = None
    if raster.encoding is Encoding.SRGB:
        if pixels.dtype == np.uint8 and channels >= 3 and _decodes_exactly(ctx):
            internal = _SRGB8 if channels == 3 else _SRGB8_ALPHA8
        else:
            pixels = raster.as_linear().astype(np.float16)
    dtype = {
        np.dtype(np.uint8): "f1",
        np.dtype(np.uint16): "nu2",
        np.dtype(np.float32): "f4",
        np.dtype(np.float16): "f2",
    }[pixels.dtype]
    data = np.ascontiguousarray(pixels)
    texture = ctx.texture(raster.size, channels, data, alignment=1, dtype=dtype, internal_format=internal)
    if channels == 1:
        texture.swizzle = "RRR1"
    elif channels == 2:
        texture.swizzle = "RRRG"
    texture.repeat_x = texture.repeat_y = True
    texture.build_mipmaps()
    texture.filter = SMOOTH
    return texture


def _decodes_exactly(ctx: moderngl.Context) -> bool:
    """Software drivers approximate the sRGB decoding by up to a code; they get linear half floats instead."""
    renderer = str(ctx.info.get("GL_RENDERER", "")).lower()
    return not any(name in renderer for name in ("llvmpipe", "softpipe", "swrast"))


class TextureCache:
    """Textures by the identity of the array they were made from; the least recently used go first."""

    def __init__(self, ctx: moderngl.Context, longest: int = 48) -> None:
        self._ctx, self._longest = ctx, longest
        self._held: dict[tuple, tuple[tuple, moderngl.Texture]] = {}

    def of(self, raster: Raster) -> moderngl.Texture:
        """The texture of a raster."""
        return self._get((id(raster.pixels), raster.encoding), (raster.pixels,), lambda: upload(self._ctx, raster))

    def of_planes(self, planes: list[NDArray[np.uint8]]) -> moderngl.Texture:
        """Up to four coverage planes as one RGBA texture."""

        def make() -> moderngl.Texture:
            four = planes + [np.zeros_like(planes[0])] * (4 - len(planes))
            return upload(self._ctx, Raster(np.ascontiguousarray(np.stack(four, -1)), Encoding.DATA))

        return self._get(tuple(id(plane) for plane in planes), tuple(planes), make)

    def magnify(self, filter: tuple[int, int]) -> None:
        """Set how all textures are seen from near: SMOOTH or SQUARE."""
        for _, texture in self._held.values():
            if texture.filter != filter:
                texture.filter = filter

    def _get(self, key: tuple, owners: tuple, make):  # type: ignore[no-untyped-def]
        if key in self._held:
            self._held[key] = self._held.pop(key)
            return self._held[key][1]
        texture = make()
        # The arrays are kept, so that their ids are not given to others while the texture lives.
        self._held[key] = (owners, texture)
        while len(self._held) > self._longest:
            self._held.pop(next(iter(self._held)))[1].release()
        return texture
