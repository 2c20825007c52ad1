"""The recipe of a document as a kit has it: its planes of data in as few textures as can be, and its text."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.document.state import State
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.raster.reading import derived
from evenpalette.core.recipe.attributes import NORMAL, STEEPEST
from evenpalette.core.recipe.packed_reads import Packing, Plane, packed_reads
from evenpalette.core.recipe.shader import function_shader, kit_shader, packable
from evenpalette.core.recipe.shader_text import ShaderText

#: By how much of a vector's length a stored one may be off: a code of 8 bits is two 255ths.
_MOST_APART = 1.5 / 255


def packing_of(state: State) -> Packing:
    """Where the planes of data of the active sheet's kit lie; those of one size and depth share textures."""
    alike: dict[Plane, Any] = {}
    units = []
    for unit in packable(state.project.recipe, state.shader_reads):
        if len(unit) == 3 and two_of_normal(state.read_textures[unit[0].texture]) is not None:
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


@dataclass(frozen=True)
class _TwoPlanes:
    """x and y of a normal map's vectors made unit, as they are stored; None where the third plane cannot be left
    out."""

    pixels: NDArray | None

    @property
    def nbytes(self) -> int:
        return self.pixels.nbytes if self.pixels is not None else 1


def two_of_normal(raster: Raster) -> NDArray | None:
    """The two planes of a normal map that a kit stores where the third follows from them, of the map's dtype: the
    vectors point out of the surface, and no normal, delivered in 8 bits, changes by more than a code. None for
    others."""

    def make() -> _TwoPlanes:
        vectors = raster.as_unit()[..., :3] * 2 - 1
        slopes = vectors[..., :2] / np.maximum(vectors[..., 2], np.float32(STEEPEST))[..., None]
        unit = slopes / np.sqrt((slopes**2).sum(-1) + 1)[..., None]
        stored = quantize(unit * np.float32(0.5) + np.float32(0.5), raster.pixels.dtype)
        read = Raster(stored, Encoding.DATA).as_unit() * 2 - 1
        z = np.sqrt(np.maximum(1 - (read**2).sum(-1), 0))
        again = read / np.maximum(z, np.float32(STEEPEST))[..., None]
        apart = again / np.sqrt((again**2).sum(-1) + 1)[..., None] - unit
        return _TwoPlanes(stored if float(np.abs(apart).max()) <= _MOST_APART else None)

    return derived((raster.pixels,), "two of a normal", make).pixels


def plane_pixels(state: State, packing: Packing, plane: Plane) -> NDArray:
    """What a kit stores of a plane, (height, width)."""
    if not plane.texture:
        return state.sources.coverages[plane.channel]
    raster, start = state.read_textures[plane.texture], state.shader_reads.starts.get(NORMAL)
    if start is not None and start.texture == plane.texture and Plane(plane.texture, 2) not in packing:
        two = two_of_normal(raster)
        if two is not None and plane.channel < 2:
            return np.ascontiguousarray(two[..., plane.channel])
    return np.ascontiguousarray(raster.pixels[..., plane.channel])


def kit_text(state: State) -> ShaderText:
    """The text that a game runs for the active sheet."""
    return kit_shader(state.project.recipe, state.shader_reads, packing_of(state))


def function_text(state: State) -> ShaderText:
    """The same as a function that is handed its textures."""
    return function_shader(state.project.recipe, state.shader_reads, packing_of(state))
