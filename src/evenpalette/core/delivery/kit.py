"""The kit: textures, parameters of all variants, and the recipe as GLSL, enough for a game to recolor live."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.delivery.kit_model import (
    VERSION,
    AnyValue,
    ChoiceValue,
    ColorValue,
    KitAttribute,
    KitDescription,
    KitDivision,
    KitMap,
    KitOpacity,
    KitParameter,
    KitRegion,
    KitStep,
    KitTexture,
    KitVariant,
    PlacementValue,
    TextureValue,
    schema_text,
)
from evenpalette.core.delivery.kit_said import constant_of, time_of, useful_range
from evenpalette.core.delivery.kit_textures import kit_textures
from evenpalette.core.document.state import State
from evenpalette.core.document.variant import Variant
from evenpalette.core.files import plain_text
from evenpalette.core.placement import Placement
from evenpalette.core.recipe.attributes import ATTRIBUTES, CUT, OPACITY
from evenpalette.core.recipe.parameters import Parameter, parameter_uniform_names
from evenpalette.core.recipe.samplers import coverage_slot
from evenpalette.core.recipe.shader import kit_shader
from evenpalette.core.recipe.shader_text import ShaderText
from evenpalette.core.recipe.steps import kind_of
from evenpalette.core.values import Value, ValueType, vector_parts

NOTICE = "Written by Even Palette; textures and values are the artist's, the text may be used without condition."
OUTPUT = "Linear Rec. 709 light, not clamped. Encode it to sRGB when the target is an 8-bit one without an sRGB format."
HEADER = """// {name}: recipe for recoloring at runtime. Kit version {version}.
// {notice}
//
// Compiles as GLSL 3.30 and as GLSL ES 3.00; put the #version line in front. uv (0, 0) is the first texel of the first row.
//   EpSurface evenpalette_surface(vec2 uv, float seconds, uint copy)
//   vec3 evenpalette_recipe(vec2 uv)                 base color at 0 s of copy 0
// seconds: for what moves; `time` of parameters.json says when to let it wrap. copy: the number of the placed copy, for
// values that are picked by it.
// Both take the level of detail from the slopes of uv, so call them in uniform control flow, or hand the slopes to
// evenpalette_surface_grad. Result: {output}
//
// Textures (set up as parameters.json says: wrap, filter, mips, encoding; one-channel ones are read as .r). Never let a
// loader multiply alpha into the others, as browsers do by default: alpha may hold data.
{textures}//
// Uniforms (colors are linear light; parameters.json has them encoded as hex and linear):
{uniforms}
"""


def build_shader(state: State) -> ShaderText:
    """The recipe of the active sheet as a game runs it."""
    return kit_shader(state.project.recipe, state.shader_reads)


@dataclass(frozen=True)
class KitJob:
    """One variant as it is said. folder: of its maps, relative to what is delivered to; '' where they are not there."""

    variant_id: str | None
    name: str
    folder: str
    maps: dict[str, KitMap]


def write_kit(state: State, kit: Path, jobs: Sequence[KitJob], longest: int) -> None:
    """Write the kit of the active sheet into a folder. longest: side of its textures in texels, 0 as they are. Raises
    OSError."""
    shader = build_shader(state)
    textures = kit_textures(state, shader, longest)
    (kit / "textures").mkdir(parents=True)
    for texture in textures:
        (kit / "textures" / texture.said.file).write_bytes(texture.content)
    said = describe(state, shader, [texture.said for texture in textures], jobs)
    text = json.dumps(said.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n"
    (kit / "parameters.json").write_text(text, "utf-8")
    (kit / "parameters.schema.json").write_text(schema_text(), "utf-8")
    listed = "".join(
        f"//   {t.sampler}: textures/{plain_text(t.file)}, {t.encoding}{', ' + plain_text(t.holds) if t.holds else ''}\n"
        for t in said.textures
    )
    uniforms = "".join(f"//   {p.glsl} {p.uniform}: {plain_text(p.name)}\n" for p in said.parameters)
    header = HEADER.format(
        name=plain_text(state.project.name), version=VERSION, notice=NOTICE, output=OUTPUT, textures=listed,
        uniforms=uniforms.rstrip() or "//   none",
    )  # fmt: skip
    (kit / "recipe.glsl").write_text(header + shader.text, "utf-8")


def _value(value: Value, parameter: Parameter, files: dict[str, str]) -> AnyValue:
    """A parameter's value as it is written. files: of the textures that are chosen among, by their ids."""
    type = parameter.type
    if type is ValueType.TEXTURE:
        return TextureValue(texture=str(value), file=files.get(str(value), ""))
    if type is ValueType.VECTOR:
        return list(vector_parts(str(value)))
    if type is ValueType.COLOR:
        r, g, b = (round(float(v), 7) for v in decode_srgb(np.array(parse_hex(str(value))) / 255))
        return ColorValue(hex=str(value), linear=(r, g, b))
    if type is ValueType.PLACEMENT:
        return PlacementValue(placement=str(value), matrix=list(Placement.parse(str(value)).uniform()))
    if type is ValueType.CHOICE:
        return ChoiceValue(choice=str(value), index=parameter.choices.index(str(value)))
    if isinstance(value, bool):
        return value
    return int(value) if type is ValueType.INTEGER else float(value)


def describe(state: State, shader: ShaderText, textures: list[KitTexture], jobs: Sequence[KitJob]) -> KitDescription:
    """What parameters.json holds for the active sheet."""
    project = state.project
    names = parameter_uniform_names(project.parameters)
    types = {u.parameter: u.glsl_type for u in shader.uniforms} | {
        s.parameter: "sampler2D" for s in shader.textures.values() if s.parameter
    }
    files = {t.choice: t.file for t in textures if t.choice}
    parameters = [p for p in project.parameters if p.id in types]
    homes = {region.id: division.name for division in project.regions.divisions for region in division.regions}
    return KitDescription(
        notice=NOTICE, output=OUTPUT, time=time_of(state), name=project.name, sheet=project.sheet.name, textures=textures,
        parameters=[
            KitParameter(
                id=p.id, uniform=names[p.id], glsl=types[p.id], name=p.name, type=p.type.value, unit=p.unit,
                range=useful_range(state, p), choices=list(p.choices), group=p.group,
                description=p.description, default=_value(p.default, p, files),
            )
            for p in parameters
        ],
        divisions=[KitDivision(id=d.id, name=d.name, overlap=d.overlap.value) for d in project.regions.divisions],
        regions=[
            KitRegion(
                id=r.id, number=n + 1, name=r.name, division=homes[r.id], flag=r.flag, sampler=sampler,
                channel=place.letter,
            )
            for n, r in enumerate(project.regions.regions) for sampler, place in [coverage_slot(n)]
        ],
        steps=[
            KitStep(
                id=s.id, name=s.name, kind=s.kind, rows=len(s.rows), formula=kind_of(s.kind).formula,
                source=kind_of(s.kind).source,
            )
            for s in project.recipe.steps if s.enabled
        ],
        attributes=[
            KitAttribute(
                field=a.key, glsl=a.glsl, neutral=list(a.neutral), holds=a.holds.value, description=a.description,
                constant=constant_of(state, a.key),
            )
            for a in (ATTRIBUTES[key] for key in shader.attributes)
        ],
        opacity=KitOpacity(use=project.sheet.opacity.value, threshold=CUT) if OPACITY in shader.attributes else None,
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
