"""The recipe as GLSL, from the same step files that the CPU runs.

Two flavors of one text. *Live*: every input of every step but a constant choice is a uniform, so a moved slider or a
switched-off step never needs a new shader. *Kit*: parameters are uniforms under their own names, constants are written in, and
switched-off steps are left out, which is what a game wants.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.files import plain_text, safe_name
from evenpalette.core.recipe.binding import prepare_value, read_binding
from evenpalette.core.recipe.kind import AMOUNT, Input
from evenpalette.core.recipe.model import Binding, ChannelRef, Recipe, Step
from evenpalette.core.recipe.parameters import Parameter, ValueType
from evenpalette.core.recipe.steps import kind_of
from evenpalette.core.regions.coverage import OVERLAP_GLSL
from evenpalette.core.regions.model import Overlap

GLSL_TYPES = {ValueType.COLOR: "vec3", ValueType.NUMBER: "float", ValueType.CHOICE: "int", ValueType.SWITCH: "int"}
_COMPONENTS = "rgba"
#: Which component of a sampler holds a channel; gray textures answer with red for every color channel.
ComponentOf = Callable[[ChannelRef], int]


@dataclass(frozen=True)
class ShaderUniform:
    """One uniform. Live: step index and input key ('amount' too). Kit: the parameter's id."""

    name: str
    glsl_type: str
    step: int = -1
    key: str = ""
    parameter: str = ""


@dataclass(frozen=True)
class ShaderText:
    """GLSL that defines `vec3 evenpalette_recipe(vec2 uv)`, linear light in and out, without a #version line.

    textures: sampler name to texture id; coverage and base samplers are always `ep_base` and `ep_coverage_<k>`.
    without_steps: only the coverages, for views that show no recipe.
    """

    text: str
    uniforms: tuple[ShaderUniform, ...]
    textures: dict[str, str]
    coverage_samplers: int
    without_steps: str = ""


def live_shader(recipe: Recipe, region_ids: Sequence[str], overlap: Overlap, component: ComponentOf) -> ShaderText:
    """The flavor that the views run. Textures are read through `ep_sample(sampler, uv)`, which the view defines."""
    uniforms: list[ShaderUniform] = []

    def as_uniform(index: int, input: Input, binding: Binding | None) -> str:
        # A constant choice is written in: software drivers run both sides of every branch.
        if input.type is ValueType.CHOICE and (binding is None or binding.parameter is None):
            return str(prepare_value(read_binding(binding, input, {}), input))
        uniform = ShaderUniform(f"s{index}_{input.key}", GLSL_TYPES[input.type], index, input.key)
        uniforms.append(uniform)
        return uniform.name

    return _build(list(recipe.steps), region_ids, overlap, component, as_uniform, uniforms, "ep_sample")


def kit_shader(recipe: Recipe, region_ids: Sequence[str], overlap: Overlap, component: ComponentOf) -> ShaderText:
    """The flavor that a game runs."""
    names = parameter_uniform_names(recipe.parameters)
    uniforms = [
        ShaderUniform(names[p.id], GLSL_TYPES[p.type], parameter=p.id) for p in recipe.parameters if recipe.users(p.id)
    ]

    def as_text(_: int, input: Input, binding: Binding | None) -> str:
        if binding is not None and binding.parameter in names:
            parameter = recipe.parameter(str(binding.parameter))
            assert parameter is not None
            return _in_range(names[parameter.id], parameter, input)
        value = read_binding(binding, input, {})
        if input.type is ValueType.COLOR:
            return "vec3({})".format(", ".join(_number(float(v)) for v in hex_to_linear(str(value))))
        prepared = prepare_value(value, input)
        return _number(prepared) if isinstance(prepared, float) else str(prepared)

    enabled = [step for step in recipe.steps if step.enabled]
    return _build(enabled, region_ids, overlap, component, as_text, uniforms)


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


def _build(
    steps: list[Step],
    region_ids: Sequence[str],
    overlap: Overlap,
    component: ComponentOf,
    expression: Callable[[int, Input, Binding | None], str],
    uniforms: list[ShaderUniform],
    sample: str = "texture",
) -> ShaderText:
    ids = list(region_ids)
    textures: dict[str, str] = {}
    body: list[str] = []
    for index, step in enumerate(steps):
        kind = kind_of(step.kind)
        arguments = ["c"] + [expression(index, i, step.inputs.get(i.key)) for i in kind.inputs]
        for channel in kind.channels:
            arguments.append(
                _channel_text(step.channels.get(channel.key), channel.neutral, textures, component, sample)
            )
        amount = expression(index, AMOUNT, step.amount)
        weight = _weight_text(step, ids)
        comment = plain_text(step.name)
        body.append(f"    // {comment}\n    w = {weight} * {amount};")
        body.append(f"    if (w > 0.0) c += (ep_{kind.key}({', '.join(arguments)}) - c) * w;")
    functions = "".join(kind_of(key).glsl for key in dict.fromkeys(step.kind for step in steps))
    sampler_count = (len(ids) + 3) // 4
    lines = ["uniform sampler2D ep_base;"]
    lines += [f"uniform sampler2D ep_coverage_{k};" for k in range(sampler_count)]
    lines += [f"uniform sampler2D {name};" for name in textures]
    lines += [f"uniform {uniform.glsl_type} {uniform.name};" for uniform in uniforms]
    coverages = _coverage_text(len(ids), overlap, sample)
    without_steps = "\n".join(lines) + "\n" + coverages
    text = "\n".join(lines) + "\n" + functions + coverages
    text += "\nvec3 evenpalette_recipe(vec2 uv) {\n    vec3 c = " + sample + "(ep_base, uv).rgb;\n    float w;\n"
    if ids:
        text += f"    float k[{len(ids)}] = ep_coverages(uv);\n"
    text += "\n".join(body) + "\n    return c;\n}\n"
    return ShaderText(text, tuple(uniforms), textures, sampler_count, without_steps)


def _channel_text(
    ref: ChannelRef | None, neutral: float, textures: dict[str, str], component: ComponentOf, sample: str
) -> str:
    if ref is None:
        return _number(neutral)
    index = component(ref)
    if index < 0:
        return _number(neutral)
    sampler = next((name for name, texture in textures.items() if texture == ref.texture), None)
    if sampler is None:
        sampler = f"ep_map_{len(textures)}"
        textures[sampler] = ref.texture
    text = f"{sample}({sampler}, uv).{_COMPONENTS[index]}"
    return f"(1.0 - {text})" if ref.invert else text


def _weight_text(step: Step, ids: list[str]) -> str:
    if step.regions is None:
        return "1.0"
    used = [ids.index(region) for region in step.regions if region in ids]
    if not used:
        return "0.0"
    if len(used) == 1:
        return f"k[{used[0]}]"
    return "min(1.0, {})".format(" + ".join(f"k[{i}]" for i in used))


def _coverage_text(count: int, overlap: Overlap, sample: str) -> str:
    if not count:
        return ""
    reads = [f"    vec4 t{k} = {sample}(ep_coverage_{k}, uv);" for k in range((count + 3) // 4)]
    values = ", ".join(f"t{i // 4}.{_COMPONENTS[i % 4]}" for i in range(count))
    reads.append(f"    float c[{count}] = float[{count}]({values});")
    policy = OVERLAP_GLSL[overlap].format(n=count) if count > 1 else ""
    return (
        f"\n// Overlap: {overlap.value}\nfloat[{count}] ep_coverages(vec2 uv) {{\n"
        + "\n".join(reads)
        + policy
        + "    return c;\n}\n"
    )
