"""What stands around the statements of a recipe: the struct that they fill, the coverages that they weigh by, the
functions that a game calls."""

from collections.abc import Sequence

from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.recipe.shader_text import ShaderReads
from evenpalette.core.recipe.table import DEFINE, ROW, TAKE, TAKE_BETWEEN
from evenpalette.core.regions.overlap import GLSL as OVERLAP_GLSL
from evenpalette.core.regions.overlap import overlap_glsl


def struct_text(wanted: Sequence[str]) -> str:
    """What the recipe makes of a texel, by the keys of its attributes."""
    lines = "".join(f"    {ATTRIBUTES[key].glsl} {key};  // {ATTRIBUTES[key].description}\n" for key in wanted)
    return f"\n// What the recipe makes of a texel.\nstruct EpSurface {{\n{lines}}};\n"


#: Set by whoever draws faces from behind, before the surface is asked for.
SIDE_GLSL = (
    "\n// 0 where the front of a face is seen, 1 where its back is: set it from gl_FrontFacing.\nfloat ep_side = 0.0;\n"
)

#: The functions of a text whose parameters are uniforms.
ENTRIES = """
EpSurface evenpalette_surface(vec2 uv, float seconds, uint copy) {
    return evenpalette_surface_grad(uv, dFdx(uv), dFdy(uv), seconds, copy);
}
"""

#: The functions of a text whose parameters may come from a table.
TABLE_ENTRIES = f"""
EpSurface evenpalette_surface_grad(vec2 uv, vec2 dx, vec2 dy, float seconds, uint copy) {{
#ifdef {DEFINE}
    {TAKE}({ROW});
#endif
    return ep_surface_at(uv, dx, dy, seconds, copy);
}}
{ENTRIES}
#ifdef {DEFINE}
EpSurface evenpalette_surface_row_grad(vec2 uv, vec2 dx, vec2 dy, float seconds, uint copy, int row) {{
    {TAKE}(row);
    return ep_surface_at(uv, dx, dy, seconds, copy);
}}
EpSurface evenpalette_surface_row(vec2 uv, float seconds, uint copy, int row) {{
    return evenpalette_surface_row_grad(uv, dFdx(uv), dFdy(uv), seconds, copy, row);
}}
EpSurface evenpalette_surface_between_grad(vec2 uv, vec2 dx, vec2 dy, float seconds, uint copy, int row_a, int row_b, float t) {{
    if (t <= 0.0) {TAKE}(row_a);
    else if (t >= 1.0) {TAKE}(row_b);
    else {TAKE_BETWEEN}(row_a, row_b, t);
    return ep_surface_at(uv, dx, dy, seconds, copy);
}}
EpSurface evenpalette_surface_between(vec2 uv, float seconds, uint copy, int row_a, int row_b, float t) {{
    return evenpalette_surface_between_grad(uv, dFdx(uv), dFdy(uv), seconds, copy, row_a, row_b, t);
}}
#endif
"""


def coverage_text(reads: ShaderReads, places: Sequence[tuple[str, str]], taken: str) -> str:
    """A function that puts the resolved coverages of a texel into `ep_k0`, `ep_k1` ...; no function returns an
    array. places: of each region's coverage, its sampler and channel. taken: more that the function takes."""
    count = len(reads.region_ids)
    if not count:
        return ""
    names = [f"ep_k{i}" for i in range(count)]
    samplers = list(dict.fromkeys(sampler for sampler, _ in places))
    lines = [f"vec4 t{k} = textureGrad({sampler}, uv, dx, dy);" for k, sampler in enumerate(samplers)]
    lines += [f"{name} = t{samplers.index(at)}.{letter};" for name, (at, letter) in zip(names, places, strict=True)]
    start = 0
    for sharing in reads.sharings:
        lines += overlap_glsl(names[start : start + sharing.count], sharing.overlap)
        start += sharing.count
    policies = ", ".join(sharing.overlap.value for sharing in reads.sharings)
    declared = "".join(f"float {name};\n" for name in names)
    inner = "".join(f"    {line}\n" for line in lines)
    return (
        f"\n// The coverage of each region; overlaps of each division: {policies}\n{declared}{OVERLAP_GLSL}"
        f"void ep_resolve(vec2 uv, vec2 dx, vec2 dy{taken}) {{\n{inner}}}\n"
    )
