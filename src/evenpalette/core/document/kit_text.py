"""The recipe of a document as a kit has it: its planes of data in as few textures as can be, and its text."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from evenpalette.core.document.state import State
from evenpalette.core.raster.raster import Raster
from evenpalette.core.raster.reading import derived
from evenpalette.core.recipe.attributes import STEEPEST
from evenpalette.core.recipe.packed_reads import Packing, Plane, packed_reads
from evenpalette.core.recipe.shader import kit_shader, packable
from evenpalette.core.recipe.shader_text import ShaderText


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


@dataclass(frozen=True)
class _Follows:
    """Whether the third plane of a normal map can be left out."""

    is_so: bool
    nbytes: int = 1


def _third_follows(raster: Raster) -> bool:
    """Whether the vectors of a normal map are of unit length and point out of the surface, as far as its depth tells:
    no normal, delivered in 8 bits, changes by more than a code when its third plane is taken from the others."""

    def look() -> _Follows:
        vectors = raster.as_unit()[..., :3] * 2 - 1
        steepest = np.float32(STEEPEST)
        known = np.sqrt(np.maximum(1 - vectors[..., 0] ** 2 - vectors[..., 1] ** 2, 0))
        both = []
        for z in (vectors[..., 2], known):
            slopes = vectors[..., :2] / np.maximum(z, steepest)[..., None]
            both.append(slopes / np.sqrt((slopes**2).sum(-1) + 1)[..., None])
        return _Follows(bool(np.abs(both[0] - both[1]).max() <= 2 / 255))

    return derived((raster.pixels,), "third follows", look).is_so


def kit_text(state: State) -> ShaderText:
    """The text that a game runs for the active sheet."""
    return kit_shader(state.project.recipe, state.shader_reads, packing_of(state))
