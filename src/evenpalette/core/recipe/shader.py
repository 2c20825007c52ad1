"""The recipe as GLSL, from the same step files that the CPU runs.

Two flavors of one text. *Live*: every input of every step but a constant choice is a uniform, so a moved slider or a
switched-off step never needs a new shader. *Kit*: parameters are uniforms under their own names, constants are written in, and
switched-off steps are left out, which is what a game wants.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from evenpalette.core.color.encoding import GLSL as ENCODING_GLSL
from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.files import plain_text, safe_name
from evenpalette.core.raster.reading import channel_index
from evenpalette.core.recipe.binding import prepare_value, read_binding
from evenpalette.core.recipe.kind import AMOUNT, Input
from evenpalette.core.recipe.model import Binding, ChannelRef, Recipe, Row, Step
from evenpalette.core.recipe.parameters import Parameter, ValueType
from evenpalette.core.recipe.steps import kind_of
from evenpalette.core.recipe.weights import Sharing
from evenpalette.core.regions.overlap import GLSL as OVERLAP_GLSL
from evenpalette.core.regions.overlap import overlap_glsl

GLSL_TYPES = {ValueType.COLOR: "vec3", ValueType.NUMBER: "float", ValueType.CHOICE: "int", ValueType.SWITCH: "int"}
_COMPONENTS = "rgba"


@dataclass(frozen=True)
class Reads:
    """What the text must know of the textures: how many channels they have, by id; the base; the divisions.

    channels: of the textures that channel references name; a missing one is not there. base_channels: of what the
    recipe starts from. sharings: the divisions, whose regions are counted through in order.
    """

    channels: Mapping[str, int]
    base_channels: int
    sharings: Sequence[Sharing]
    region_ids: Sequence[str]


@dataclass(frozen=True)
class ShaderUniform:
    """One uniform. Live: step index, row index (-1 for what all rows share) and input key. Kit: the parameter's id."""

    name: str
    glsl_type: str
    step: int = -1
    row: int = -1
    key: str = ""
    parameter: str = ""


@dataclass(frozen=True)
class ShaderText:
    """GLSL for 3.30 and ES 3.00 that defines `evenpalette_surface` and `evenpalette_recipe`, without a #version line.

    textures: sampler name to texture id; coverage and base samplers are always `ep_base` and `ep_coverage_<k>`.
    without_steps: only the coverages, for views that show no recipe; they call `ep_resolve(uv, dx, dy)`, after which
    `ep_k0`, `ep_k1` ... hold the resolved coverages.
    """

    text: str
    uniforms: tuple[ShaderUniform, ...]
    textures: dict[str, str]
    coverage_samplers: int
    without_steps: str = ""


#: Step index, row index (-1: shared), input, binding -> an expression.
_Expression = Callable[[int, int, Input, Binding | None], str]


def live_shader(recipe: Recipe, reads: Reads) -> ShaderText:
    """The flavor that the views run."""
    uniforms: dict[str, ShaderUniform] = {}

    def as_uniform(index: int, row: int, input: Input, binding: Binding | None) -> str:
        # A constant choice is written in: software drivers run both sides of every branch.
        if input.type is ValueType.CHOICE and (binding is None or binding.parameter is None):
            return str(prepare_value(read_binding(binding, input, {}), input))
        place = f"s{index}_" if row < 0 else f"s{index}_r{row}_"
        uniform = ShaderUniform(place + input.key, GLSL_TYPES[input.type], index, row, input.key)
        uniforms[uniform.name] = uniform
        return uniform.name

    return _build(list(recipe.steps), reads, as_uniform, lambda: list(uniforms.values()))


def kit_shader(recipe: Recipe, reads: Reads) -> ShaderText:
    """The flavor that a game runs."""
    names = parameter_uniform_names(recipe.parameters)
    uniforms = [
        ShaderUniform(names[p.id], GLSL_TYPES[p.type], parameter=p.id) for p in recipe.parameters if recipe.users(p.id)
    ]

    def as_text(_: int, __: int, input: Input, binding: Binding | None) -> str:
        if binding is not None and binding.parameter in names:
            parameter = recipe.parameter(str(binding.parameter))
            assert parameter is not None
            return _in_range(names[parameter.id], parameter, input)
        value = read_binding(binding, input, {})
        if input.type is ValueType.COLOR:
            return "vec3({})".format(", ".join(_number(float(v)) for v in hex_to_linear(str(value))))
        prepared = prepare_value(value, input)
        return _number(prepared) if isinstance(prepared, float) else str(prepared)

    return _build([step for step in recipe.steps if step.enabled], reads, as_text, lambda: uniforms)


def _in_range(name: str, parameter: Parameter, input: Input) -> str:
    """A parameter whose range is wider than the input's is clamped, as the CPU does."""
    if input.type is not ValueType.NUMBER or (parameter.low >= input.low and parameter.high <= input.high):
        return name
    return f"clamp({name}, {_number(input.low)}, {_number(input.high)})"


def parameter_uniform_names(parameters: Sequence[Parameter]) -> dict[str, str]:
    """A GLSL name for each parameter id, readable and unique."""
    names: dict[str, str] = {}
    for parameter in parameters:
        # GLSL keeps names with two underscores in a row for itself.
        base = "p_" + safe_name(parameter.name, "value").replace("-", "_")
        name, count = base, 2
        while name in names.values():
            name, count = f"{base}_{count}", count + 1
        names[parameter.id] = name
    return names


def _number(value: float) -> str:
    text = f"{value:.9g}"
    return text if any(mark in text for mark in ".e") else text + ".0"


class _Body:
    """The statements of the recipe as they come together: all texture reads first, then a block for each step."""

    def __init__(self, reads: Reads) -> None:
        self._reads = reads
        self.textures: dict[str, str] = {}

    def channel(self, ref: ChannelRef | None, neutral: float) -> str:
        """An expression for a channel of a texture that is read at the start."""
        count = self._reads.channels.get(ref.texture, 0) if ref is not None else 0
        if ref is None or not count:
            return _number(neutral)
        index = channel_index(count, ref.channel)
        if index < 0:
            text = "1.0"
        else:
            sampler = next((name for name, texture in self.textures.items() if texture == ref.texture), None)
            if sampler is None:
                sampler = f"ep_map_{len(self.textures)}"
                self.textures[sampler] = ref.texture
            # Gray with alpha is stored as four channels.
            component = _COMPONENTS[3 if count == 2 and index == 1 else index]
            text = f"m{sampler.removeprefix('ep_map_')}.{component}"
        return f"(1.0 - {text})" if ref.invert else text


def _build(
    steps: list[Step], reads: Reads, expression: _Expression, uniforms: Callable[[], list[ShaderUniform]]
) -> ShaderText:
    ids = {region: index for index, region in enumerate(reads.region_ids)}
    body = _Body(reads)
    blocks = [_step_text(index, step, ids, body, expression) for index, step in enumerate(steps)]
    functions = "".join(dict.fromkeys(part for step in steps for part in _parts(kind_of(step.kind).glsl)))
    sampler_count = (len(ids) + 3) // 4
    made = uniforms()
    lines = ["#ifdef GL_ES", "precision highp float;", "precision highp int;", "precision highp sampler2D;", "#endif"]
    lines += ["uniform sampler2D ep_base;"]
    lines += [f"uniform sampler2D ep_coverage_{k};" for k in range(sampler_count)]
    lines += [f"uniform sampler2D {name};" for name in body.textures]
    lines += [f"uniform {uniform.glsl_type} {uniform.name};" for uniform in made]
    head = "\n".join(lines) + "\n"
    coverages = _coverage_text(reads)
    base = "rgb" if reads.base_channels >= 3 else "rrr"
    text = head + functions + coverages
    text += "\n// What the recipe makes of a texel.\nstruct EpSurface { vec3 base_color; };\n"
    text += "\nEpSurface evenpalette_surface_grad(vec2 uv, vec2 dx, vec2 dy, float seconds, uint copy) {\n"
    text += f"    vec3 c = textureGrad(ep_base, uv, dx, dy).{base};\n"
    for name in body.textures:
        text += f"    vec4 m{name.removeprefix('ep_map_')} = textureGrad({name}, uv, dx, dy);\n"
    if ids:
        text += "    ep_resolve(uv, dx, dy);\n"
    text += "".join(blocks)
    text += "    EpSurface surface;\n    surface.base_color = c;\n    return surface;\n}\n" + _ENTRIES
    return ShaderText(text, tuple(made), body.textures, sampler_count, head + coverages)


_ENTRIES = """
EpSurface evenpalette_surface(vec2 uv, float seconds, uint copy) {
    return evenpalette_surface_grad(uv, dFdx(uv), dFdy(uv), seconds, copy);
}

vec3 evenpalette_recipe(vec2 uv) { return evenpalette_surface(uv, 0.0, 0u).base_color; }
"""


def _parts(glsl: str) -> list[str]:
    """A kind's text with the functions that kinds share apart, so that each is written once."""
    if ENCODING_GLSL in glsl:
        return [ENCODING_GLSL, glsl.replace(ENCODING_GLSL, "")]
    return [glsl]


def _step_text(index: int, step: Step, ids: Mapping[str, int], body: _Body, expression: _Expression) -> str:
    kind = kind_of(step.kind)
    rows = [(k, row) for k, row in enumerate(step.rows) if row.regions is None or any(r in ids for r in row.regions)]
    if not rows:
        return ""
    channels = [body.channel(step.channels.get(channel.key), channel.neutral) for channel in kind.channels]
    amount = expression(index, -1, AMOUNT, step.amount)
    named = sorted({ids[r] for _, row in rows for r in row.regions or () if r in ids})
    text = f"    // {plain_text(step.name)}\n    {{\n        vec3 b = c, d = vec3(0.0);\n"
    for k, row in rows:
        weight = f"{_coverage_sum(row, ids, named)} * {expression(index, k, AMOUNT, row.amount)} * {amount}"
        text += f"        float w{k} = {weight};\n"
    for k, row in rows:
        arguments = ["b"]
        for i in kind.inputs:
            own = row.inputs.get(i.key)
            arguments.append(expression(index, k if own is not None else -1, i, own or step.inputs.get(i.key)))
        text += f"        if (w{k} > 0.0) d += (ep_{kind.key}({', '.join(arguments + channels)}) - b) * w{k};\n"
    total = " + ".join(f"w{k}" for k, _ in rows)
    return text + (f"        c = b + d / max(1.0, {total});\n" if len(rows) > 1 else "        c = b + d;\n") + "    }\n"


def _coverage_sum(row: Row, ids: Mapping[str, int], named: Sequence[int]) -> str:
    if row.regions is None:
        return "clamp(1.0 - ({}), 0.0, 1.0)".format(" + ".join(f"ep_k{i}" for i in named)) if named else "1.0"
    used = [f"ep_k{ids[region]}" for region in row.regions if region in ids]
    return used[0] if len(used) == 1 else "min(1.0, {})".format(" + ".join(used))


def _coverage_text(reads: Reads) -> str:
    """A function that puts the resolved coverages of a texel into `ep_k0`, `ep_k1` ...; no function returns an array."""
    count = len(reads.region_ids)
    if not count:
        return ""
    names = [f"ep_k{i}" for i in range(count)]
    lines = [f"vec4 t{k} = textureGrad(ep_coverage_{k}, uv, dx, dy);" for k in range((count + 3) // 4)]
    lines += [f"{name} = t{i // 4}.{_COMPONENTS[i % 4]};" for i, name in enumerate(names)]
    start = 0
    for sharing in reads.sharings:
        lines += overlap_glsl(names[start : start + sharing.count], sharing.overlap)
        start += sharing.count
    policies = ", ".join(sharing.overlap.value for sharing in reads.sharings)
    declared = "".join(f"float {name};\n" for name in names)
    inner = "".join(f"    {line}\n" for line in lines)
    return (
        f"\n// The coverage of each region; overlaps of each division: {policies}\n{declared}{OVERLAP_GLSL}"
        f"void ep_resolve(vec2 uv, vec2 dx, vec2 dy) {{\n{inner}}}\n"
    )
