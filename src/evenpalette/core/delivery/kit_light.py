"""The light of Form as text of a kit: the same files that the views run, with a struct of every attribute."""

from collections.abc import Iterable
from importlib.resources import files

from evenpalette.core.color.encoding import with_encoding
from evenpalette.core.light.model import light_glsl
from evenpalette.core.recipe.attributes import ATTRIBUTES

#: In front of the recipe's text: it then has `EpLit evenpalette_lit(EpSurface s)`.
DEFINE = "EP_LIGHT"
_HEAD = """// The light of Form. Kit version {version}. Depends on nothing else; compiles as GLSL 3.30 and as GLSL ES 3.00.
//   vec3 evenpalette_light(EpLit s, vec3 position, vec3 normal, vec4 tangent, vec3 eye)
//   vec3 evenpalette_output(vec3 radiance)           exposure, output curve and sRGB encoding
// Lamps: ep_lamps[3], a unit vector toward each and how bright white paper straight under it is. Sky: ep_sky, its radiance
// from straight below and from straight above. With #define EP_ENVIRONED 1 in front it is a picture of an environment
// instead: ep_environment holds {bands} bands of {rows} rows, each blurred for a roughness from 0 to 1, ep_harmonics its
// light on a surface, ep_turned the cosine and sine by which it is turned about up.
// ep_exposure: a factor. ep_filmic: 1 bends highlights in.
#ifdef GL_ES
precision highp float;
precision highp int;
precision highp sampler2D;
#endif
#define EP_GRAINED 1
#define EP_COATED 1.0
"""


def kit_light_text(version: int) -> str:
    """`light.glsl` of a kit."""
    from evenpalette.core.light.environment import BANDS, ROWS

    fields = "".join(f"    {a.glsl} {a.key};\n" for a in ATTRIBUTES.values())
    neutral = "".join(f"    s.{a.key} = {a.glsl_neutral};\n" for a in ATTRIBUTES.values())
    struct = f"\n// Every attribute of a surface, as `EpSurface` means them.\nstruct EpLit {{\n{fields}}};\n"
    made = f"EpLit ep_lit_neutral() {{\n    EpLit s;\n{neutral}    return s;\n}}\n\n"
    entry = with_encoding((files("evenpalette.core.light") / "entry.glsl").read_text("utf-8"))
    return _HEAD.format(version=version, bands=BANDS, rows=ROWS) + light_glsl() + struct + made + entry


def lit_text(attributes: Iterable[str]) -> str:
    """What a recipe's text says to hand its surface to the light."""
    taken = "".join(f"    made.{key} = s.{key};\n" for key in attributes)
    return (
        f"\n#ifdef {DEFINE}\n// For light.glsl, which stands in front.\nEpLit evenpalette_lit(EpSurface s) {{\n"
        f"    EpLit made = ep_lit_neutral();\n{taken}    return made;\n}}\n#endif\n"
    )
