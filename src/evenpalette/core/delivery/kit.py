"""The kit: textures, parameters of all variants, and the recipe as GLSL, enough for a game to recolor live."""

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.kit_light import kit_light_text, lit_text
from evenpalette.core.delivery.kit_model import (
    VERSION,
    AnyValue,
    KitAttribute,
    KitCost,
    KitDescription,
    KitDivision,
    KitDraws,
    KitMap,
    KitOpacity,
    KitParameter,
    KitPlace,
    KitRegion,
    KitStep,
    KitTable,
    KitTexture,
    KitVariant,
    said_text,
    schema_text,
    value_of,
)
from evenpalette.core.delivery.kit_said import constant_of, time_of, useful_range
from evenpalette.core.delivery.kit_textures import kit_textures
from evenpalette.core.delivery.layout import coverage_place
from evenpalette.core.delivery.plan import DEFAULTS
from evenpalette.core.document.kit_text import kit_text
from evenpalette.core.document.state import State
from evenpalette.core.document.variant import Variant
from evenpalette.core.files import plain_text
from evenpalette.core.recipe.attributes import ATTRIBUTES, CUT, OPACITY
from evenpalette.core.recipe.languages.hlsl import hlsl_of
from evenpalette.core.recipe.parameters import Parameter, parameter_uniform_names
from evenpalette.core.recipe.shader import kit_table
from evenpalette.core.recipe.shader_text import ShaderText
from evenpalette.core.recipe.steps import kind_of
from evenpalette.core.recipe.table import table_rows
from evenpalette.core.values import Value, ValueType

#: The file of the table: a row a variant.
TABLE_FILE = "variants.f32"
NOTICE = "Written by Even Palette; textures and values are the artist's, the text may be used without condition."
OUTPUT = "Linear Rec. 709 light, not clamped. Encode it to sRGB when the target is an 8-bit one without an sRGB format."
HEADER = """// {name}: recipe for recoloring at runtime. Kit version {version}.
// {notice}
//
// Compiles as GLSL 3.30 and as GLSL ES 3.00; put the #version line in front. uv (0, 0) is the first texel of the first row.
//   EpSurface evenpalette_surface(vec2 uv, float seconds, uint copy)
//   vec3 evenpalette_recipe(vec2 uv)                 base color at 0 s of copy 0
// With #define EP_TABLE in front, parameters come from a row of ep_table (`table` of parameters.json), that of ep_row or:
//   EpSurface evenpalette_surface_row(vec2 uv, float seconds, uint copy, int row)
//   EpSurface evenpalette_surface_between(vec2 uv, float seconds, uint copy, int row_a, int row_b, float t)
// With #define EP_LIGHT, and light.glsl in front of this text: EpLit evenpalette_lit(EpSurface s), for its light.
// seconds: for what moves; `time` of parameters.json says when to let it wrap. copy: the number of the placed copy, for
// values that are picked by it.
// All take the level of detail from the slopes of uv, so call them in uniform control flow, or hand the slopes to the
// function of the same name with _grad (uv, dx, dy, ...), as a deferred renderer does. Result: {output}
//
// Textures (set up as parameters.json says: wrap, filter, mips, encoding; one-channel ones are read as .r). Never let a
// loader multiply alpha into the others, as browsers do by default: alpha may hold data.
{textures}//
// Cost a pixel (reads of textures, bytes of the texels read, an estimate of operators and calls):
{costs}//
// Uniforms (colors are linear light; parameters.json has them encoded as hex and linear):
{uniforms}
"""


#: What of the head is said otherwise in HLSL, line by line.
_HLSL_WORDS = (
    (
        "// Compiles as GLSL 3.30 and as GLSL ES 3.00; put the #version line in front. uv (0, 0)",
        "// Compiles as HLSL, shader model 5. Every texture NAME has a SamplerState NAME_sampler. uv (0, 0)",
    ),
    ("// With #define EP_LIGHT, and light.glsl in front of this text: EpLit evenpalette_lit(EpSurface s), for its light.\n", ""),
    ("vec2", "float2"), ("vec3", "float3"), ("vec4", "float4"), ("mat4", "row_major float4x4"),
)  # fmt: skip


def build_shader(state: State) -> ShaderText:
    """The recipe of the state's sheet as a game runs it."""
    return _with_light(kit_text(state))


def _with_light(shader: ShaderText) -> ShaderText:
    """The text with what hands its surface to the kit's light, which only GLSL has."""
    return replace(shader, text=shader.text + lit_text(shader.attributes))


@dataclass(frozen=True)
class KitJob:
    """One variant as it is said. folder: of its maps, relative to what is delivered to; '' where they are not there."""

    variant_id: str | None
    name: str
    folder: str
    maps: dict[str, KitMap]


def write_kit(state: State, kit: Path, jobs: Sequence[KitJob], longest: int) -> None:
    """Write the kit of the state's sheet into a folder. longest: side of its textures in texels, 0 as they are. Raises
    OSError."""
    plain = kit_text(state)
    shader = _with_light(plain)
    textures = kit_textures(state, shader, longest)
    (kit / "textures").mkdir(parents=True)
    for texture in textures:
        (kit / "textures" / texture.said.file).write_bytes(texture.content)
    layout = kit_table(state.project.recipe)
    rows = table_rows(layout, [state.values(None), *(state.values(job.variant_id) for job in jobs)])
    (kit / TABLE_FILE).write_bytes(rows.astype("<f4").tobytes())
    said = describe(state, shader, [texture.said for texture in textures], jobs)
    (kit / "parameters.json").write_text(said_text(said), "utf-8")
    (kit / "parameters.schema.json").write_text(schema_text(), "utf-8")
    listed = "".join(
        f"//   {t.sampler}: textures/{plain_text(t.file)}, {t.encoding}{', ' + plain_text(t.holds) if t.holds else ''}\n"
        for t in said.textures
    )
    uniforms = "".join(f"//   {p.glsl} {p.uniform}: {plain_text(p.name)}\n" for p in said.parameters)
    costs = "".join(
        f"//   {plain_text(s.name)}: {s.cost.reads} reads, {s.cost.bytes} bytes, {s.cost.arithmetic} operations\n"
        for s in said.steps if s.cost is not None
    )  # fmt: skip
    header = HEADER.format(
        costs=costs or "//   none\n",
        name=plain_text(state.project.name), version=VERSION, notice=NOTICE, output=OUTPUT, textures=listed,
        uniforms=uniforms.rstrip() or "//   none",
    )  # fmt: skip
    (kit / "recipe.glsl").write_text(header + shader.text, "utf-8")
    (kit / "recipe.hlsl").write_text(_in_hlsl(header) + hlsl_of(plain.text), "utf-8")
    (kit / "light.glsl").write_text(kit_light_text(VERSION), "utf-8")


def _in_hlsl(header: str) -> str:
    """What the head of a text says, for HLSL."""
    for said, instead in _HLSL_WORDS:
        header = header.replace(said, instead)
    return header


def _costs(shader: ShaderText, textures: list[KitTexture]) -> dict[str, KitCost]:
    """What each step costs a pixel, by its id."""
    sizes = {t.sampler: t.channels * t.bits // 8 for t in textures}
    return {
        cost.step_id: KitCost(
            reads=sum(count for _, count in cost.reads), bytes=sum(sizes[name] * count for name, count in cost.reads),
            arithmetic=cost.arithmetic,
        )
        for cost in shader.costs
    }  # fmt: skip


def _table(state: State, jobs: Sequence[KitJob], parameters: list[Parameter], names: dict[str, str]) -> KitTable:
    layout = kit_table(state.project.recipe)
    rows = [state.values(None), *(state.values(job.variant_id) for job in jobs)]
    return KitTable(
        file=TABLE_FILE, width=layout.width, height=len(rows),
        rows=[DEFAULTS, *(job.variant_id or DEFAULTS for job in jobs)],
        places=[KitPlace(uniform=p.uniform, texel=p.texel, components=p.components) for p in layout.places],
        one_draw_each=[
            KitDraws(parameter=names[p.id], choices=[p.choices.index(str(values[p.id])) for values in rows])
            for p in parameters if p.type is ValueType.TEXTURE
        ],
    )  # fmt: skip


def _value(value: Value, parameter: Parameter, files: dict[str, str]) -> AnyValue:
    """A parameter's value as it is written. files: of the textures that are chosen among, by their ids."""
    wanted = parameter.input
    return value_of(wanted.kind.told(value, wanted, files))


def describe(state: State, shader: ShaderText, textures: list[KitTexture], jobs: Sequence[KitJob]) -> KitDescription:
    """What parameters.json holds for the sheet that the state is on."""
    project = state.project
    names = parameter_uniform_names(project.parameters)
    types = {u.parameter: u.glsl_type for u in shader.uniforms} | {
        s.parameter: "sampler2D" for s in shader.textures.values() if s.parameter
    }
    files = {t.choice: t.file for t in textures if t.choice}
    parameters = [p for p in project.parameters if p.id in types]
    homes = {region.id: division.name for division in project.regions.divisions for region in division.regions}
    costs = _costs(shader, textures)
    return KitDescription(
        table=_table(state, jobs, parameters, names),
        notice=NOTICE, output=OUTPUT, time=time_of(state), name=project.name, sheet=state.sheet.name, textures=textures,
        parameters=[
            KitParameter(
                id=p.id, uniform=names[p.id], glsl=types[p.id], name=p.name, type=p.type.value, unit=p.unit,  # type: ignore[arg-type]
                range=useful_range(state, p), choices=list(p.choices), group=p.group,
                description=p.description, default=_value(p.default, p, files),
            )
            for p in parameters
        ],
        divisions=[KitDivision(id=d.id, name=d.name, overlap=d.overlap.value) for d in project.regions.divisions],
        regions=[
            KitRegion(
                id=r.id, number=n + 1, name=r.name, division=homes[r.id], flag=r.flag, sampler=sampler,
                channel=letter,  # type: ignore[arg-type]
            )
            for n, r in enumerate(project.regions.regions) for sampler, letter in [coverage_place(shader.packing, n)]
        ],
        steps=[
            KitStep(
                id=s.id, name=s.name, kind=s.kind, rows=len(s.rows), formula=kind_of(s.kind).formula,
                source=kind_of(s.kind).source, cost=costs.get(s.id),
            )
            for s in project.recipe.steps if s.enabled
        ],
        attributes=[
            KitAttribute(
                field=a.key, glsl=a.glsl, neutral=list(a.neutral), holds=a.holds.value, description=a.description,  # type: ignore[arg-type]
                constant=constant_of(state, a.key),
            )
            for a in (ATTRIBUTES[key] for key in shader.attributes)
        ],
        opacity=KitOpacity(use=state.sheet.opacity.value, threshold=CUT) if OPACITY in shader.attributes else None,
        variants=[_variant_entry(state, job, parameters, names, files) for job in jobs],
    )  # fmt: skip


def _variant_entry(
    state: State, job: KitJob, parameters: list[Parameter], names: dict[str, str], files: dict[str, str]
) -> KitVariant:
    variant: Variant | None = next((v for v in state.project.variants if v.id == job.variant_id), None)
    parent = next((v.name for v in state.project.variants if variant and v.id == variant.parent), None)
    values = state.values(job.variant_id)
    return KitVariant(
        id=job.variant_id or "", name=job.name, derives_from=parent, folder=job.folder, maps=job.maps,
        values={names[p.id]: _value(values[p.id], p, files) for p in parameters},
    )  # fmt: skip
