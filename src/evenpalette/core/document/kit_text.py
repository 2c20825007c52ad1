"""The recipe of a document as a kit has it: its planes of data in as few textures as can be, and its text."""

from typing import Any

from evenpalette.core.document.state import State
from evenpalette.core.recipe.packed_reads import Packing, Plane, packed_reads
from evenpalette.core.recipe.shader import kit_shader, packable
from evenpalette.core.recipe.shader_text import ShaderText


def packing_of(state: State) -> Packing:
    """Where the planes of data of the active sheet's kit lie; those of one size and depth share textures."""
    alike: dict[Plane, Any] = {}
    units = []
    for unit in packable(state.project.recipe, state.shader_reads):
        for plane in unit:
            if plane.texture:
                raster = state.read_textures[plane.texture]
                alike[plane] = raster.size, raster.pixels.dtype.str
            else:
                pixels = state.sources.coverages[plane.channel]
                alike[plane] = (pixels.shape[1], pixels.shape[0]), pixels.dtype.str
        units.append(unit)
    return packed_reads(units, alike)


def kit_text(state: State) -> ShaderText:
    """The text that a game runs for the active sheet."""
    return kit_shader(state.project.recipe, state.shader_reads, packing_of(state))
