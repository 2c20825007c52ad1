"""The recipe of a document as a kit has it: its planes of data in as few textures as can be, and its text."""

from typing import Any
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.document.state import State
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.raster.reading import derived, found_in
from evenpalette.core.recipe.attributes import NORMAL, STEEPEST
from evenpalette.core.recipe.packed_reads import Packing, Plane, packed_reads
from evenpalette.core.recipe.shader import function_shader, kit_shader, packable
from evenpalette.core.recipe.shader_text import ShaderText
from evenpalette.core.recipe.table import LETTERS

#: By how much of a vector's length a stored one may be off: a code of 8 bits is two 255ths.
_MOST_APART = 1.5 / 255
#: Texels a side of a map that are looked at, at most twice as many.
_LOOKED_AT = 320


def packing_of(state: State) -> Packing:
    """Where the planes of data of the active sheet's kit lie; those of one size and depth share textures, as few as can
    be, or as somebody has put them together."""
    units, alike = planes_to_pack(state)
    known = {plane_word(state, plane): plane for unit in units for plane in unit}
    wished = state.project.delivery.packing.get(state.sheet.id, ())
    return packed_reads(units, alike, [[known[word] for word in words if word in known] for words in wished])


def plane_word(state: State, plane: Plane) -> str:
    """A plane as the document names it: `region:` or `texture:` with an id, the latter with a channel's letter."""
    if plane.texture:
        return f"texture:{plane.texture}.{LETTERS[plane.channel]}"
    return f"region:{state.region_ids[plane.channel]}"


def planes_to_pack(state: State) -> tuple[list[tuple[Plane, ...]], dict[Plane, Any]]:
    """The planes of the active sheet's kit that may share textures, those together that stay together; and of each what
    those that share one have in common: size and dtype."""
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
    return units, alike


def _unit_slopes(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """x and y of vectors (..., 3) made unit, steep ones held; values: stored ones, 0..1."""
    vectors = values * 2 - 1
    np.maximum(vectors[..., 2], np.float32(STEEPEST), out=vectors[..., 2])
    return np.asarray(vectors[..., :2] / np.sqrt((vectors**2).sum(-1))[..., None], np.float32)


def _two(values: NDArray[np.float32], dtype: np.dtype) -> NDArray:
    """The two planes that are stored."""
    return quantize(_unit_slopes(values) * np.float32(0.5) + np.float32(0.5), dtype)


def _third_follows(raster: Raster) -> bool:
    """Whether a kit may leave a normal map's third plane out: the vectors point out of the surface, and no normal,
    delivered in 8 bits, changes by more than a code. Of floats all are stored. A part of the texels is looked at: it is
    asked before the first picture, and while one works."""
    if raster.pixels.dtype == np.float32:
        return False

    def look() -> bool:
        down, across = (max(1, side // _LOOKED_AT) for side in raster.pixels.shape[:2])
        few = Raster(np.ascontiguousarray(raster.pixels[::down, ::across, :3]), Encoding.DATA).as_unit()
        read = Raster(_two(few, raster.pixels.dtype), Encoding.DATA).as_unit() * 2 - 1
        third = np.sqrt(np.maximum(1 - (read**2).sum(-1), 0))[..., None]
        apart = _unit_slopes(np.concatenate([read, third], -1) * np.float32(0.5) + np.float32(0.5)) - _unit_slopes(few)
        return bool(np.abs(apart).max() <= _MOST_APART)

    return found_in((raster.pixels,), "third follows", look)


def plane_pixels(state: State, packing: Packing, plane: Plane) -> NDArray:
    """What a kit stores of a plane, (height, width)."""
    if not plane.texture:
        return state.sources.coverages[plane.channel]
    raster, start = state.read_textures[plane.texture], state.shader_reads.starts.get(NORMAL)
    if start is not None and start.texture == plane.texture and Plane(plane.texture, 2) not in packing:
        # Both planes are made at once, and asked for one after the other.
        both = derived(
            (raster.pixels,), "two of a normal", lambda: _two(raster.as_unit()[..., :3], raster.pixels.dtype)
        )
        return np.ascontiguousarray(both[..., plane.channel])
    return np.ascontiguousarray(raster.pixels[..., plane.channel])


_texts: WeakKeyDictionary[State, ShaderText] = WeakKeyDictionary()


def kit_text(state: State) -> ShaderText:
    """The text that a game runs for the active sheet; made once for a state, which cards, findings and the kit's page
    ask for it."""
    text = _texts.get(state)
    if text is None:
        text = _texts[state] = kit_shader(state.project.recipe, state.shader_reads, packing_of(state))
    return text


def function_text(state: State) -> ShaderText:
    """The same as a function that is handed its textures."""
    return function_shader(state.project.recipe, state.shader_reads, packing_of(state))
