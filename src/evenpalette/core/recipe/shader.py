"""The recipe as GLSL, from the same step files and the same plan that the CPU runs.

Two flavors of one text. *Live*: every input of every step but a constant choice is a uniform, so a moved slider or a
switched-off step never needs a new shader. *Kit*: parameters are uniforms under their own names, constants are written
in, and switched-off steps are left out, which is what a game wants.
"""

from collections.abc import Iterable

from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR
from evenpalette.core.recipe.binding import prepare_value, read_binding
from evenpalette.core.recipe.kind import Op, StepKind
from evenpalette.core.recipe.packed_reads import Packing, Plane
from evenpalette.core.recipe.parameters import Parameter, parameter_uniform_names
from evenpalette.core.recipe.plan import StepUse, plan
from evenpalette.core.recipe.pulse import pulse_text
from evenpalette.core.recipe.recipe import Binding, Pick, Recipe, Step
from evenpalette.core.recipe.shader_builder import ShaderBuilder, number_text
from evenpalette.core.recipe.shader_text import ShaderReads, ShaderText, ShaderUniform
from evenpalette.core.recipe.steps import KINDS, kind_of
from evenpalette.core.recipe.table import TableLayout, table_layout
from evenpalette.core.values import Input, ValueType


def made_attributes(recipe: Recipe, starts: Iterable[str], *, disabled_too: bool = False) -> tuple[str, ...]:
    """The attributes that a recipe makes, in their order: the base color, those with a beginning, and those that a step
    which is on writes (or any step, with disabled_too)."""
    found = {BASE_COLOR, *starts}
    for step in recipe.steps:
        if (step.enabled or disabled_too) and step.kind in KINDS:
            found |= _written(step)
    return tuple(key for key in ATTRIBUTES if key in found)


def _written(step: Step) -> set[str]:
    kind = kind_of(step.kind)
    return {op.writes for op in kind.ops if _may_act(step, kind, op)}


def _may_act(step: Step, kind: StepKind, op: Op) -> bool:
    """Whether an operation may do something: its switch follows a parameter or is on in some row, and so is something
    that it needs."""

    def given(key: str) -> bool:
        bindings = [step.binding(row, key) for row in step.rows]
        return any((b is not None and not b.is_plain) or read_binding(b, kind.input(key), {}) for b in bindings)

    return (not op.scale or given(op.scale)) and (not op.needs or any(given(key) for key in op.needs))


def live_shader(recipe: Recipe, reads: ShaderReads, wanted: Iterable[str] = (BASE_COLOR,)) -> ShaderText:
    """The flavor that the views run, for these attributes."""
    uniforms: dict[str, ShaderUniform] = {}

    def as_uniform(index: int, row: int, input: Input, binding: Binding | None) -> str:
        # A constant choice is written in: software drivers run both sides of every branch.
        if input.type is ValueType.CHOICE and (binding is None or binding.is_plain):
            return str(prepare_value(read_binding(binding, input, {}), input))
        place = f"s{index}_" if row < 0 else f"s{index}_r{row}_"
        uniform = ShaderUniform(place + input.key, input.shader_type, index, row, input.key)
        uniforms[uniform.name] = uniform
        return uniform.name

    def use(step: Step) -> StepUse:
        kind = kind_of(step.kind)
        return StepUse(kind, lambda op: _may_act(step, kind, op), lambda _: False)

    planned = plan([use(step) for step in recipe.steps], wanted)
    return ShaderBuilder(recipe, reads, as_uniform, planned).build(lambda: list(uniforms.values()))


def written_values(recipe: Recipe) -> list[object]:
    """What of a recipe's values the live flavor depends on: while these stay, and the structure, so does its text."""
    found: list[object] = []
    for step in recipe.steps:
        if step.kind not in KINDS:
            continue
        kind = kind_of(step.kind)
        found.append(tuple(_may_act(step, kind, op) for op in kind.ops))
        for inputs in (step.inputs, *(row.inputs for row in step.rows)):
            found += (
                (key, binding.value)
                for key, binding in inputs.items()
                if binding.is_plain and key in kind.by_key and kind.by_key[key].kind.is_written
            )
    return found


def kit_shader(recipe: Recipe, reads: ShaderReads, packing: Packing | None = None) -> ShaderText:
    """The flavor that a game runs, for every attribute that the recipe makes. packing: planes that share textures."""
    return _kit_builder(recipe, reads, packing).build(lambda: _kit_uniforms(recipe), kit_table(recipe))


def function_shader(recipe: Recipe, reads: ShaderReads, packing: Packing | None = None) -> ShaderText:
    """The kit's recipe as a function that is handed its textures, for shaders that others put together: no uniforms,
    and parameters that are globals, to be set before `ep_surface_at` is called."""
    return _kit_builder(recipe, reads, packing).build(lambda: _kit_uniforms(recipe), is_given=True)


def packable(recipe: Recipe, reads: ShaderReads) -> list[tuple[Plane, ...]]:
    """What of a kit's textures could share others: every coverage, and channels of data that are read where they lie,
    of textures that nothing else reads. Planes of one entry stay together."""
    builder = _kit_builder(recipe, reads, None)
    text = builder.build(lambda: _kit_uniforms(recipe), kit_table(recipe))
    kept = {s.texture for s in text.textures.values() if s.as_color or s.placed or s.exact or s.parameter}
    regions = [(Plane("", region),) for region in range(len(reads.region_ids))]
    together = {plane for unit in builder.plain if len(unit) > 1 for plane in unit}
    return regions + [
        unit for unit in builder.plain if unit[0].texture not in kept and (len(unit) > 1 or unit[0] not in together)
    ]


def _kit_uniforms(recipe: Recipe) -> list[ShaderUniform]:
    return [ShaderUniform(p.uniform, p.glsl, parameter=p.parameter.id) for p in kit_table(recipe).places]


def _kit_builder(recipe: Recipe, reads: ShaderReads, packing: Packing | None) -> ShaderBuilder:
    names = parameter_uniform_names(recipe.parameters)
    steps = tuple(step for step in recipe.steps if step.enabled)

    def as_text(_: int, __: int, input: Input, binding: Binding | None) -> str:
        if binding is not None and binding.pick is not None:
            return _pick_text(binding.pick, input, names.get(binding.pick.pin or ""))
        if binding is not None and binding.pulse is not None:
            return pulse_text(binding.pulse, input)
        if binding is not None and binding.parameter in names:
            parameter = recipe.parameter(str(binding.parameter))
            assert parameter is not None
            part = "" if binding.part is None else "." + "xyzw"[binding.part]
            return _in_range(names[parameter.id] + part, parameter, input)
        return _constant(read_binding(binding, input, {}), input)

    def use(step: Step) -> StepUse:
        kind = kind_of(step.kind)
        return StepUse(kind, lambda op: _may_act(step, kind, op), lambda op: _fills(step, kind, op))

    shown = recipe.model_copy(update={"steps": steps})
    planned = plan([use(step) for step in steps], made_attributes(recipe, reads.starts))
    return ShaderBuilder(shown, reads, as_text, planned, packing)


def kit_table(recipe: Recipe) -> TableLayout:
    """Where a row of a table has each parameter that the kit's text reads."""
    names = parameter_uniform_names(recipe.parameters)
    told = [p for p in recipe.parameters if p.type is not ValueType.TEXTURE and recipe.users(p.id)]
    return table_layout([(names[p.id], p.input.shader_type, p) for p in told])


def _fills(step: Step, kind: StepKind, op: Op) -> bool:
    """Whether an operation leaves nothing of what was there whatever the parameters are."""
    whole = [step.amount, *(row.amount for row in step.rows)]
    everywhere = kind.weigh is None and any(row.regions is None for row in step.rows)
    return everywhere and op.replaces is True and not op.scale and all(b == Binding(value=1.0) for b in whole)


def _constant(value: object, input: Input) -> str:
    numbers = input.numbers(value) if input.shader_type else ()  # type: ignore[arg-type]
    if len(numbers) > 1:
        return f"{input.shader_type}({', '.join(number_text(v) for v in numbers)})"
    prepared = prepare_value(value, input)  # type: ignore[arg-type]
    return number_text(prepared) if isinstance(prepared, float) else str(prepared)


def _pick_text(pick: Pick, input: Input, pin: str | None) -> str:
    """A pick as an expression of the copy's number. pin: the uniform that may stand in its place."""
    copy = f"({pin} >= 0 ? uint({pin}) : copy)" if pin else "copy"
    if not pick.values:
        if not input.is_number:
            return _constant(input.default, input)
        share = f"ep_pick_share({copy}, {pick.seed}u)"
        low, high = number_text(pick.low), number_text(pick.high)
        text = f"clamp({low} + ({high} - {low}) * {share}, {number_text(input.low)}, {number_text(input.high)})"
        return text if input.type is ValueType.NUMBER else f"int(floor({text} + 0.5))"
    texts = [_constant(input.accept(value), input) for value in pick.values]
    text = texts[-1]
    for index in range(len(texts) - 2, -1, -1):
        text = f"ep_pick({copy}, {pick.seed}u, {len(texts)}u) == {index}u ? {texts[index]} : {text}"
    return f"({text})" if len(texts) > 1 else text


def _in_range(name: str, parameter: Parameter, input: Input) -> str:
    """A parameter whose range is wider than the input's is clamped, as the CPU does."""
    if input.type is not ValueType.NUMBER or (parameter.low >= input.low and parameter.high <= input.high):
        return name
    return f"clamp({name}, {number_text(input.low)}, {number_text(input.high)})"
