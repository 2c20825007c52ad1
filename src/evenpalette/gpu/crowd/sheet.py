"""One sheet of an asset on a graphics card: its texts, textures and table."""

import moderngl
import numpy as np

from evenpalette.core.color.encoding import with_encoding
from evenpalette.core.delivery.crowd_kit import CrowdSheet, TextureLevels
from evenpalette.core.delivery.kit_model import KitTexture, uniform_of
from evenpalette.core.errors import KitError
from evenpalette.gpu.crowd.buffer import GLSL
from evenpalette.gpu.mip_levels import Space, make_room, texture_in, write_level
from evenpalette.gpu.shader_files import shader_file

_SRGB8_ALPHA8 = 0x8C43
SURROUND = 0.4667

_VERTEX = (
    "#version 330 core\nin vec3 at; in vec3 normal; in vec4 tangent; in vec2 uv;"
    + GLSL
    + """uniform mat4 u_clip;
out vec3 v_at; out vec3 v_normal; out vec4 v_tangent; out vec2 v_uv; flat out ivec4 v_which; flat out vec2 v_own;
void main() {
    v_at = copy_turned(at) + vec3(copy_place.x, 0.0, copy_place.y);
    v_normal = copy_turned(normal); v_tangent = vec4(copy_turned(tangent.xyz), tangent.w); v_uv = uv;
    v_which = ivec4(copy_row, int(copy_number), copy_group, 1); v_own = vec2(copy_phase, float(gl_InstanceID + 1));
    gl_Position = u_clip * vec4(v_at, 1.0);
}
"""
)
_KEEP = """
in vec3 v_at; in vec3 v_normal; in vec4 v_tangent; in vec2 v_uv; flat in ivec4 v_which; flat in vec2 v_own;
layout(location = 0) out vec4 o_uv; layout(location = 1) out vec4 o_slopes; layout(location = 2) out vec4 o_normal;
layout(location = 3) out vec4 o_tangent; layout(location = 4) out vec4 o_at; layout(location = 5) out ivec4 o_which;
uniform int u_sheet; uniform float u_seconds; uniform int u_to; uniform float u_turn;
"""
_KEPT_BODY = """    o_uv = vec4(v_uv, v_own.x, 1.0); o_slopes = vec4(dFdx(v_uv), dFdy(v_uv));
    o_normal = vec4(normalize(v_normal) * (gl_FrontFacing ? 1.0 : -1.0), gl_FrontFacing ? 0.0 : 1.0);
    o_tangent = v_tangent; o_at = vec4(v_at, v_own.y); o_which = ivec4(v_which.xyz, u_sheet + 1);
"""
_SHADE = with_encoding("""
uniform sampler2D kept_uv; uniform sampler2D kept_slopes; uniform sampler2D kept_normal; uniform sampler2D kept_tangent;
uniform sampler2D kept_at; uniform isampler2D kept_which;
uniform float u_seconds; uniform vec3 u_eye; uniform float u_flame; uniform int u_to; uniform float u_turn; uniform int u_sheet; uniform int u_group;
uniform bool u_unlit; uniform mat3 u_eyes;
out vec4 o;
vec3 coded(vec3 c) {
    c = clamp(c, 0.0, 1.0);
    return @ENCODED@;
}
""")


class DrawnSheet:
    """A sheet's texts, textures and table. Raises KitError for a text that does not compile."""

    def __init__(self, ctx: moderngl.Context, sheet: CrowdSheet) -> None:
        self._ctx, self.sheet = ctx, sheet
        (vertex, fragment), (_, self.shading) = shader_texts(sheet)
        self.kept = compiled(ctx, sheet.where, vertex, fragment)
        self.textures = [(said, _uploaded(ctx, said, levels)) for said, levels in sheet.textures]
        self.rows = sheet.rows.copy() if sheet.rows is not None else np.zeros((1, 1, 4), np.float32)
        self.table: moderngl.Texture | None = None
        self.tell()

    def tell(self) -> None:
        """Hand the rows to the graphics card."""
        if self.table is not None and self.table.size != self.rows.shape[1::-1]:
            self.table.release()
            self.table = None
        if self.table is None:
            self.table = self._ctx.texture((self.rows.shape[1], self.rows.shape[0]), 4, self.rows.tobytes(), dtype="f4")
            self.table.filter = moderngl.NEAREST, moderngl.NEAREST
        else:
            self.table.write(self.rows.tobytes())

    def picks(self, row: int) -> tuple[int, ...]:
        """The number of the chosen texture of each choice in a row."""
        return tuple(draws.choices[row] for draws in self.sheet.said.table.one_draw_each if row < len(draws.choices))

    def pictures(self, row: int) -> dict[str, moderngl.Texture]:
        """Every texture by the name of its sampler; of a choice that of the row."""
        said = self.sheet.said
        chosen = {
            draws.parameter: next(p.choices for p in said.parameters if p.uniform == draws.parameter)[
                draws.choices[row]
            ]
            for draws in said.table.one_draw_each
            if row < len(draws.choices)
        }
        by_sampler: dict[str, moderngl.Texture] = {}
        for texture, made in self.textures:
            if not texture.parameter or chosen.get(texture.parameter, texture.choice) == texture.choice:
                by_sampler[texture.sampler] = made
        if self.sheet.rows is not None and self.table is not None:
            by_sampler["ep_table"] = self.table
        return by_sampler

    def bind(self, program: moderngl.Program, row: int, first: int = 0) -> None:
        """Put every texture on a unit from the first on."""
        for unit, (name, made) in enumerate(self.pictures(row).items(), first):
            if program.get(name, None) is not None:
                made.use(unit)
                program[name] = unit

    def tell_values(self, program: moderngl.Program, row: int) -> None:
        """The values of a variant as uniforms, for a kit that has no table."""
        variants = self.sheet.said.variants
        if not variants:
            return
        for name, value in variants[min(max(row - 1, 0), len(variants) - 1)].values.items():
            if name in program and (told := uniform_of(value)) is not None:
                program[name] = told


def shader_texts(files: CrowdSheet) -> tuple[tuple[str, str], tuple[str, str]]:
    """Vertex and fragment text: of what keeps what a pixel shows, and of what shades it."""
    return (_VERTEX, _keeping(files)), (shader_file("view.vert"), _shading(files))


def _cut(files: CrowdSheet) -> str:
    """What is not there where little is left of it, as a statement; '' for a sheet that is not cut out."""
    opacity = files.said.opacity
    there = any(a.field == "opacity" for a in files.said.attributes)
    cuts = there and opacity is not None and opacity.use == "cut-out"
    return f"    if (s.opacity < {opacity.threshold!r}) discard;\n" if cuts and opacity is not None else ""


def _keeping(files: CrowdSheet) -> str:
    """The shader that keeps what a pixel shows; only one of a sheet that is cut out runs the recipe."""
    cut = _cut(files)
    if not cut:
        return f"#version 330 core\n{_KEEP}void main() {{\n{_KEPT_BODY}}}\n"
    made = "evenpalette_surface(v_uv, u_seconds + v_own.x, uint(v_which.y))"
    if files.rows is not None:
        made = "evenpalette_surface_between(v_uv, u_seconds + v_own.x, uint(v_which.y), v_which.x, u_to < 0 ? v_which.x : u_to, u_turn)"
    define = "#define EP_TABLE\n" if files.rows is not None else ""
    return f"#version 330 core\n{define}{files.recipe}{_KEEP}void main() {{\n    EpSurface s = {made};\n{cut}{_KEPT_BODY}}}\n"


def _shading(files: CrowdSheet) -> str:
    """The shader that shades each pixel once."""
    opacity = files.said.opacity
    there = any(a.field == "opacity" for a in files.said.attributes)
    blends = there and opacity is not None and opacity.use == "blend"
    body = """    ivec2 pixel = ivec2(gl_FragCoord.xy);
    ivec4 which = texelFetch(kept_which, pixel, 0);
    o = vec4(0.0);
    if (which.w == u_sheet + 1 && which.z == u_group) {
    vec4 uv = texelFetch(kept_uv, pixel, 0), slopes = texelFetch(kept_slopes, pixel, 0), n = texelFetch(kept_normal, pixel, 0);
"""
    if "float ep_side" in files.recipe:
        body += "    ep_side = n.w;\n"
    if files.rows is not None:
        head = "#version 330 core\n#define EP_TABLE\n#define EP_LIGHT\n" + files.light + "\n" + files.recipe + _SHADE
        body += f"""    EpSurface s = evenpalette_surface_between_grad(uv.xy, slopes.xy, slopes.zw, u_seconds + uv.z, uint(which.y), which.x, u_to < 0 ? which.x : u_to, u_turn);
    EpLit lit = evenpalette_lit(s);
    lit.emissive *= u_flame;
    vec3 light = u_unlit ? s.base_color : ep_exposed(evenpalette_light(lit, texelFetch(kept_at, pixel, 0).xyz, n.xyz, texelFetch(kept_tangent, pixel, 0), u_eye));
    vec3 c = coded(u_eyes * clamp(light, 0.0, 1.0));
    o = vec4(mix(vec3({SURROUND}), c, {"clamp(s.opacity, 0.0, 1.0)" if blends else "1.0"}), 1.0);
"""
    else:
        head = "#version 330 core\n" + files.recipe + _SHADE
        body += """    EpSurface s = evenpalette_surface_grad(uv.xy, slopes.xy, slopes.zw, u_seconds + uv.z, uint(which.y));
    o = vec4(coded(u_eyes * clamp(s.base_color, 0.0, 1.0)), 1.0);
"""
    return f"{head}void main() {{\n{body}    }} else discard;\n}}\n"


def compiled(ctx: moderngl.Context, where: str, vertex: str, fragment: str) -> moderngl.Program:
    """A program. where: what a message calls the text. Raises KitError."""
    try:
        return ctx.program(vertex, fragment)
    except moderngl.Error as error:
        said = next((line.strip() for line in str(error).splitlines() if "error" in line.lower()), str(error).strip())
        raise KitError(f"{where} does not compile: {said[:200]}.") from error


def _uploaded(ctx: moderngl.Context, said: KitTexture, held: TextureLevels) -> moderngl.Texture:
    pixels = held.levels[0]
    kind = {"uint8": "f1", "uint16": "nu2", "float16": "f2", "float32": "f4"}[pixels.dtype.name]
    room = Space((pixels.shape[1], pixels.shape[0]), pixels.shape[2], kind, _SRGB8_ALPHA8 if held.srgb else None)
    made = texture_in(ctx, make_room(room), room)
    made.repeat_x = made.repeat_y = said.wrap == "repeat"
    made.filter = (
        (moderngl.NEAREST, moderngl.NEAREST) if said.filter == "nearest" else (moderngl.LINEAR, moderngl.LINEAR)
    )
    for number, level in enumerate(held.levels):
        write_level(made, number, level)
    if len(held.levels) > 1:
        made.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
    return made
