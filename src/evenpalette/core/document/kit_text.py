"""The recipe of a document as a kit has it: its planes of data in as few textures as can be, and its text."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.document.state import State
from evenpalette.core.kernels import njit
from evenpalette.core.raster.raster import Raster
from evenpalette.core.raster.reading import derived
from evenpalette.core.recipe.attributes import NORMAL, STEEPEST
from evenpalette.core.recipe.packed_reads import Packing, Plane, packed_reads
from evenpalette.core.recipe.shader import function_shader, kit_shader, packable
from evenpalette.core.recipe.shader_text import ShaderText

#: By how much of a vector's length a stored one may be off: a code of 8 bits is two 255ths.
_MOST_APART = 1.5 / 255
#: Of a map with more rows so many are looked at: whether there is room for another texture is asked while one works.
_ROWS = 1024


def packing_of(state: State) -> Packing:
    """Where the planes of data of the active sheet's kit lie; those of one size and depth share textures."""
    alike: dict[Plane, Any] = {}
    units = []
    for unit in packable(state.project.recipe, state.shader_reads):
        if len(unit) == 3 and _third_follows(state.read_textures[unit[0].texture]):
            unit = unit[:2]
        for plane in unit:
            if plane.texture:
                raster = state.read_textures[plane.texture]
                alike[plane] = raster.size, raster.pixels.dtype.str
            else:
                pixels = state.sources.coverages[plane.channel]
                alike[plane] = (pixels.shape[1], pixels.shape[0]), pixels.dtype.str
        units.append(unit)
    return packed_reads(units, alike)


@njit(nogil=True, cache=True, fastmath=True)
def _stored_two(pixels, top, steepest, x, y):  # type: ignore[no-untyped-def]
    """x and y of a texel's vector made unit, as they are stored: whole numbers 0..top."""
    one, two, half = np.float32(1), np.float32(2), np.float32(0.5)
    u, v = pixels[y, x, 0] / top * two - one, pixels[y, x, 1] / top * two - one
    z = max(pixels[y, x, 2] / top * two - one, steepest)
    length = one / np.sqrt(u * u + v * v + z * z)
    return (
        u * length,
        v * length,
        np.floor((u * length * half + half) * top + half),
        np.floor((v * length * half + half) * top + half),
    )


@njit(nogil=True, cache=True, fastmath=True)
def _apart(pixels, top, steepest, most, step):  # type: ignore[no-untyped-def]
    """Whether a texel's unit vector is off by more than `most` when its third plane is taken from the other two."""
    one, two = np.float32(1), np.float32(2)
    for y in range(0, pixels.shape[0], step):
        worst = np.float32(0)
        for x in range(pixels.shape[1]):
            u, v, p, q = _stored_two(pixels, top, steepest, x, y)
            a, b = p / top * two - one, q / top * two - one
            c = max(np.sqrt(max(one - a * a - b * b, np.float32(0))), steepest)
            length = one / np.sqrt(a * a + b * b + c * c)
            worst = max(worst, abs(a * length - u), abs(b * length - v))
        if worst > most:
            return True
    return False


@njit(nogil=True, cache=True, fastmath=True)
def _two(pixels, top, steepest, out):  # type: ignore[no-untyped-def]
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            _, _, p, q = _stored_two(pixels, top, steepest, x, y)
            out[y, x, 0], out[y, x, 1] = p, q


@dataclass(frozen=True)
class _Follows:
    """Whether the third plane of a normal map may be left out."""

    is_so: bool
    nbytes: int = 1


def _third_follows(raster: Raster) -> bool:
    """Whether a kit may leave a normal map's third plane out: the vectors point out of the surface, and no normal,
    delivered in 8 bits, changes by more than a code. Of floats all are stored; of large maps rows are looked at."""
    if raster.pixels.dtype == np.float32:
        return False
    top = np.float32(np.iinfo(raster.pixels.dtype).max)

    def look() -> _Follows:
        step = max(1, raster.height // _ROWS)
        return _Follows(not _apart(raster.pixels, top, np.float32(STEEPEST), np.float32(_MOST_APART), step))

    return derived((raster.pixels,), "third follows", look).is_so


def plane_pixels(state: State, packing: Packing, plane: Plane) -> NDArray:
    """What a kit stores of a plane, (height, width)."""
    if not plane.texture:
        return state.sources.coverages[plane.channel]
    raster, start = state.read_textures[plane.texture], state.shader_reads.starts.get(NORMAL)
    if start is not None and start.texture == plane.texture and Plane(plane.texture, 2) not in packing:
        out = np.empty((*raster.pixels.shape[:2], 2), raster.pixels.dtype)
        _two(raster.pixels, np.float32(np.iinfo(out.dtype).max), np.float32(STEEPEST), out)
        return np.ascontiguousarray(out[..., plane.channel])
    return np.ascontiguousarray(raster.pixels[..., plane.channel])


def kit_text(state: State) -> ShaderText:
    """The text that a game runs for the active sheet."""
    return kit_shader(state.project.recipe, state.shader_reads, packing_of(state))


def function_text(state: State) -> ShaderText:
    """The same as a function that is handed its textures."""
    return function_shader(state.project.recipe, state.shader_reads, packing_of(state))
