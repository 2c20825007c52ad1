"""Index art delivered so that it survives the GPU: for each of the three ways its files and the shader text that reads
them."""

from pathlib import Path

import numpy as np

from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.formats.png import encode_png
from evenpalette.core.raster.mips import mip_chain
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.strips import levels_of
from evenpalette.core.storage.file_set import files_as_one
from evenpalette.core.tones.palettes.index_filtering import along_path, true_mips
from evenpalette.core.tones.palettes.strip import palettes_of, restore, strip_raster

#: The ways by the beginning of their name in a table, each with what the shader function is called.
LOOK_UP, TRUE_MIPS, ORDERED = "look up, then filter", "true mips, nearest", "ordered palette"
WAYS = (LOOK_UP, TRUE_MIPS, ORDERED)

_HEAD = """// {name}: reads index art. GLSL 3.30 and GLSL ES 3.00.
// index_map: one channel, data, {index}; upload each level from its own file.
// strip: sRGB color, no mips; the sampler decodes it. row: of the strip, 0 is the top one. level: of detail.
"""
_ENTRY = """
vec3 ep_entry(sampler2D strip, int entry, int row) {
    return texelFetch(strip, ivec2(clamp(entry, 0, textureSize(strip, 0).x - 1), row), 0).rgb;
}
"""
_TEXT = {
    LOOK_UP: _ENTRY
    + """
vec3 ep_texel(sampler2D index_map, sampler2D strip, ivec2 place, int row, int level) {
    ivec2 last = textureSize(index_map, level) - 1;
    float value = texelFetch(index_map, clamp(place, ivec2(0), last), level).r;
    return ep_entry(strip, int(value * float(textureSize(strip, 0).x - 1) + 0.5), row);
}

vec3 ep_level(sampler2D index_map, sampler2D strip, vec2 uv, int row, int level) {
    vec2 place = uv * vec2(textureSize(index_map, level)) - 0.5;
    ivec2 corner = ivec2(floor(place));
    vec2 part = place - vec2(corner);
    vec3 above = mix(ep_texel(index_map, strip, corner, row, level), ep_texel(index_map, strip, corner + ivec2(1, 0), row, level), part.x);
    vec3 below = mix(ep_texel(index_map, strip, corner + ivec2(0, 1), row, level), ep_texel(index_map, strip, corner + ivec2(1, 1), row, level), part.x);
    return mix(above, below, part.y);
}

vec3 ep_look_up_then_filter(sampler2D index_map, sampler2D strip, vec2 uv, int row, float level) {
    int last = int(log2(float(max(textureSize(index_map, 0).x, textureSize(index_map, 0).y))) + 0.001);
    float held = clamp(level, 0.0, float(last));
    int low = int(held);
    vec3 first = ep_level(index_map, strip, uv, row, low);
    return held == float(low) ? first : mix(first, ep_level(index_map, strip, uv, row, low + 1), held - float(low));
}
""",
    TRUE_MIPS: _ENTRY
    + """
vec3 ep_true_mips(sampler2D index_map, sampler2D strip, vec2 uv, int row, float level) {
    float value = textureLod(index_map, uv, level).r;
    return ep_entry(strip, int(value * float(textureSize(strip, 0).x - 1) + 0.5), row);
}
""",
    ORDERED: _ENTRY
    + """
vec3 ep_ordered_palette(sampler2D index_map, sampler2D strip, vec2 uv, int row, float level) {
    float place = textureLod(index_map, uv, level).r * float(textureSize(strip, 0).x - 1);
    int low = int(place);
    return mix(ep_entry(strip, low, row), ep_entry(strip, low + 1, row), place - float(low));
}
""",
}
_INDEX = {
    LOOK_UP: "read by texelFetch, its filter does not matter",
    TRUE_MIPS: "nearest, mip levels nearest, clamped",
    ORDERED: "trilinear, clamped; may be stored as BC4",
}
FUNCTIONS = {LOOK_UP: "ep_look_up_then_filter", TRUE_MIPS: "ep_true_mips", ORDERED: "ep_ordered_palette"}


def shader_text(way: str) -> str:
    """The functions of a way of WAYS; the last one is `vec3 FUNCTIONS[way](index_map, strip, uv, row, level)`, linear
    light."""
    return _HEAD.format(name=FUNCTIONS[way], index=_INDEX[way]) + _TEXT[way]


def index_levels(way: str, index: Raster, strip: Raster, row: int = 0) -> tuple[list[Raster], Raster]:
    """The mip levels of the index texture and the strip that a way wants.

    The row decides what mip levels are made of and along which path entries are put in order: rows whose colors lie
    elsewhere are served less well. Raises EvenPaletteError.
    """
    if way not in WAYS:
        raise EvenPaletteError(f"'{way}' is no way to deliver index art. There are: {'; '.join(WAYS)}.")
    rows = palettes_of(strip)
    if not 0 <= row < len(rows):
        raise EvenPaletteError(f"There is no row {row}: the strip has rows 0 to {len(rows) - 1}.")
    flat, palette = Raster(levels_of(index)[..., None], Encoding.DATA), rows[row][:, :3]
    if way == ORDERED:
        other, path = along_path(flat, palette)
        return list(mip_chain(other).levels), strip_raster([np.ascontiguousarray(r[path]) for r in rows])
    colored = restore(flat, strip_raster([palette]))
    # The whole texture as it is: only what is seen from afar is indexed anew.
    return [flat, *true_mips(colored, palette)[1:]], strip


def write_index_art(folder: Path, way: str, index: Raster, strip: Raster, row: int = 0) -> list[str]:
    """Write `index-0.png` and every smaller level, `strip.png` and `index.glsl` into a new or empty folder; their
    names.

    Raises EvenPaletteError.
    """
    levels, made = index_levels(way, index, strip, row)
    files: list[tuple[str, bytes]] = [(f"index-{n}.png", encode_png(level)) for n, level in enumerate(levels)]
    files += [("strip.png", encode_png(made)), ("index.glsl", shader_text(way).encode())]
    with files_as_one(folder) as inside:
        for name, content in files:
            (inside / name).write_bytes(content)
    return [name for name, _ in files]
