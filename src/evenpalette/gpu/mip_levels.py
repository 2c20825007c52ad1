"""Mip levels of a texture, filled one by one. moderngl can only let the driver make them, which takes seconds for large
textures drawn by software, and is not our chain."""

import ctypes
from functools import cache
from typing import NamedTuple

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.raster.mips import level_sizes
from evenpalette.gpu.library import library

_TEXTURE_2D, _MAX_LEVEL, _UNPACK, _PACK = 0x0DE1, 0x813D, 0x0CF5, 0x0D05
_NUM_EXTENSIONS, _EXTENSIONS = 0x821D, 0x1F03
_FORMATS = {1: 0x1903, 2: 0x8227, 3: 0x1907, 4: 0x1908}
_TYPES = {"f1": 0x1401, "nu2": 0x1403, "f2": 0x140B, "f4": 0x1406}
_INTERNAL = {
    "f1": (0x8229, 0x822B, 0x8051, 0x8058), "nu2": (0x822A, 0x822C, 0x8054, 0x805B),
    "f2": (0x822D, 0x822F, 0x881B, 0x881A), "f4": (0x822E, 0x8230, 0x8815, 0x8814),
}  # fmt: skip


class Space(NamedTuple):
    """What a texture with all its levels needs. internal: its format, where it is not the plain one of its dtype."""

    size: tuple[int, int]
    components: int
    dtype: str
    internal: int | None = None


def make_room(room: Space) -> int:
    """A texture of any content in the context that is current on this thread; its name.

    A driver that draws by software clears the memory: that takes long for a large texture, and anew for every level
    where they are not made at once.
    """
    gl, name = library(), ctypes.c_uint()
    internal = room.internal or _INTERNAL[room.dtype][room.components - 1]
    sizes = level_sizes(room.size)
    gl.glGenTextures(1, ctypes.byref(name))
    gl.glBindTexture(_TEXTURE_2D, name)
    if "GL_ARB_texture_storage" in _extensions():
        gl.glTexStorage2D(_TEXTURE_2D, len(sizes), internal, *room.size)
    else:
        for level, (width, height) in enumerate(sizes):
            gl.glTexImage2D(
                _TEXTURE_2D, level, internal, width, height, 0, _FORMATS[room.components], _TYPES[room.dtype], None,
            )  # fmt: skip
    gl.glTexParameteri(_TEXTURE_2D, _MAX_LEVEL, len(sizes) - 1)
    gl.glFinish()
    return name.value


def texture_in(ctx: moderngl.Context, name: int, room: Space) -> moderngl.Texture:
    """The texture of that name, to be given back with `free`."""
    return ctx.external_texture(name, room.size, room.components, 0, room.dtype)


def free(texture: moderngl.Texture) -> None:
    """Give a texture back."""
    name = ctypes.c_uint(texture.glo)
    texture.release()
    library().glDeleteTextures(1, ctypes.byref(name))


@cache
def _extensions() -> frozenset[str]:
    gl, count = library(), ctypes.c_int()
    gl.glGetIntegerv(_NUM_EXTENSIONS, ctypes.byref(count))
    gl.glGetStringi.restype = ctypes.c_char_p
    return frozenset(gl.glGetStringi(_EXTENSIONS, i).decode() for i in range(count.value))


def write_level(texture: moderngl.Texture, level: int, data: NDArray, left: int = 0, top: int = 0) -> None:
    """Send a part (height, width, components) of a level, in the texture's dtype."""
    data = np.ascontiguousarray(data)
    gl = library()
    texture.use(0)
    gl.glPixelStorei(_UNPACK, 1)
    gl.glTexSubImage2D(
        _TEXTURE_2D, level, left, top, data.shape[1], data.shape[0], _FORMATS[texture.components], _TYPES[texture.dtype],
        data.ctypes.data_as(ctypes.c_void_p),
    )  # fmt: skip


def read_level(texture: moderngl.Texture, level: int) -> NDArray[np.uint8]:
    """A level of an 8-bit texture, (height, width, components)."""
    width, height = level_sizes(texture.size)[level]
    out = np.empty((height, width, texture.components), np.uint8)
    gl = library()
    texture.use(0)
    gl.glPixelStorei(_PACK, 1)
    gl.glGetTexImage(
        _TEXTURE_2D, level, _FORMATS[texture.components], _TYPES["f1"], out.ctypes.data_as(ctypes.c_void_p)
    )
    return out
