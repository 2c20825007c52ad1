"""Mip levels of a texture, filled one by one. moderngl can only let the driver make them, which takes seconds for large
textures drawn by software, and is not our chain."""

import ctypes
from ctypes.util import find_library
from functools import cache

import moderngl
import numpy as np
from numpy.typing import NDArray

_TEXTURE_2D, _MAX_LEVEL, _UNPACK, _PACK = 0x0DE1, 0x813D, 0x0CF5, 0x0D05
_FORMATS = {1: 0x1903, 2: 0x8227, 3: 0x1907, 4: 0x1908}
_TYPES = {"f1": 0x1401, "nu2": 0x1403, "f2": 0x140B, "f4": 0x1406}
_INTERNAL = {
    "f1": (0x8229, 0x822B, 0x8051, 0x8058), "nu2": (0x822A, 0x822C, 0x8054, 0x805B),
    "f2": (0x822D, 0x822F, 0x881B, 0x881A), "f4": (0x822E, 0x8230, 0x8815, 0x8814),
}  # fmt: skip


@cache
def _gl() -> ctypes.CDLL:
    """The library that hands OpenGL calls on to the context that is current."""
    return ctypes.CDLL(find_library("OpenGL") or find_library("GL") or "libGL.so.1")


def level_sizes(size: tuple[int, int]) -> list[tuple[int, int]]:
    """(width, height) of every level, the whole texture first."""
    sizes = [size]
    while max(sizes[-1]) > 1:
        sizes.append((max(1, sizes[-1][0] // 2), max(1, sizes[-1][1] // 2)))
    return sizes


def allocate_levels(texture: moderngl.Texture, internal: int | None = None) -> None:
    """Make room for all levels below the first; their content is any. internal: the texture's format, where it is not
    the plain one of its dtype."""
    gl, kind = _gl(), texture.dtype
    texture.use(0)
    sizes = level_sizes(texture.size)
    for level, (width, height) in enumerate(sizes[1:], 1):
        gl.glTexImage2D(
            _TEXTURE_2D, level, internal or _INTERNAL[kind][texture.components - 1], width, height, 0,
            _FORMATS[texture.components], _TYPES[kind], None,
        )  # fmt: skip
    gl.glTexParameteri(_TEXTURE_2D, _MAX_LEVEL, len(sizes) - 1)


def write_level(texture: moderngl.Texture, level: int, data: NDArray, left: int = 0, top: int = 0) -> None:
    """Send a part (height, width, components) of a level, in the texture's dtype."""
    data = np.ascontiguousarray(data)
    gl = _gl()
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
    gl = _gl()
    texture.use(0)
    gl.glPixelStorei(_PACK, 1)
    gl.glGetTexImage(_TEXTURE_2D, level, _FORMATS[texture.components], _TYPES["f1"], out.ctypes.data_as(ctypes.c_void_p))
    return out
