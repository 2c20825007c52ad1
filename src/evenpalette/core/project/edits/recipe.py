"""Changing the recipe: its steps and its parameters."""

from evenpalette.core.errors import RecipeError
from evenpalette.core.project.model import Role
from evenpalette.core.project.state import State, new_id
from evenpalette.core.recipe.kind import AMOUNT, Input
from evenpalette.core.recipe.model import Binding, ChannelRef, Recipe, Step
from evenpalette.core.recipe.parameters import Parameter, Value
from evenpalette.core.recipe.steps import KINDS, kind_of

_ROLE_FOR_CHANNEL = {"occlusion": (Role.OCCLUSION,), "mask": (Role.MASK,)}


def _with_recipe(state: State, **parts: object) -> State:
    return state.with_project(recipe=state.project.recipe.model_copy(update=parts))


def _with_step(state: State, changed: Step) -> State:
    steps = tuple(changed if step.id == changed.id else step for step in state.project.recipe.steps)
    return _with_recipe(state, steps=steps)


def step_of(recipe: Recipe, step_id: str) -> Step:
    """The step. Raises RecipeError when it is gone."""
    step = recipe.step(step_id)
    if step is None:
        raise RecipeError("That step is gone.")
    return step


def add_step(
    state: State,
    kind_key: str,
    regions: tuple[str, ...] | None = None,
    at: int | None = None,
    step_id: str | None = None,
) -> State:
    """Add a step of a kind, at a place in the order (None is the end), with a fitting texture where it reads one."""
    kind = kind_of(kind_key)
    channels = {}
    for channel in kind.channels:
        fitting = state.project.asset.with_role(*_ROLE_FOR_CHANNEL.get(channel.key, ()))
        if fitting:
            channels[channel.key] = ChannelRef(texture=fitting[0].id)
    inputs = {i.key: Binding(value=i.default) for i in kind.inputs}
    step = Step(
        id=step_id or new_id("step"), kind=kind_key, name=kind.label, regions=regions, inputs=inputs, channels=channels
    )
    steps = list(state.project.recipe.steps)
    steps.insert(len(steps) if at is None else at, step)
    return _with_recipe(state, steps=tuple(steps))


def place_over_paint(recipe: Recipe, kind_key: str) -> int:
    """Where a step of this kind goes to lie over all steps of kinds that come before it in the order of work."""
    order = kind_of(kind_key).order
    places = [i for i, step in enumerate(recipe.steps) if step.kind in KINDS and KINDS[step.kind].order <= order]
    return places[-1] + 1 if places else 0


def remove_step(state: State, step_id: str) -> State:
    """Take a step out. Parameters stay."""
    return _with_recipe(state, steps=tuple(s for s in state.project.recipe.steps if s.id != step_id))


def duplicate_step(state: State, step_id: str) -> State:
    """A copy of the step right after it, bound to the same parameters."""
    steps = list(state.project.recipe.steps)
    index = steps.index(step_of(state.project.recipe, step_id))
    steps.insert(index + 1, steps[index].model_copy(update={"id": new_id("step")}))
    return _with_recipe(state, steps=tuple(steps))


def move_step(state: State, step_id: str, target: int) -> State:
    """Move a step to a place in the order."""
    steps = list(state.project.recipe.steps)
    step = step_of(state.project.recipe, step_id)
    steps.remove(step)
    steps.insert(min(max(target, 0), len(steps)), step)
    return _with_recipe(state, steps=tuple(steps))


def update_step(state: State, step_id: str, **parts: object) -> State:
    """Change a step's name, enabled or regions."""
    if "name" in parts and not str(parts["name"]).strip():
        raise RecipeError("A step needs a name.")
    step = step_of(state.project.recipe, step_id)
    return _with_step(state, Step.model_validate({**step.model_dump(), **parts}))


def set_channel(state: State, step_id: str, key: str, ref: ChannelRef | None) -> State:
    """Choose the texture channel that a step reads; None is none."""
    step = step_of(state.project.recipe, step_id)
    channels = {k: v for k, v in step.channels.items() if k != key}
    if ref is not None:
        channels[key] = ref
    return _with_step(state, step.model_copy(update={"channels": channels}))


def set_base(state: State, base: str) -> State:
    """What the recipe starts from: 'tone' or a texture id."""
    return _with_recipe(state, base=base)


def input_of(step: Step, key: str) -> Input:
    """An input of a step, the amount included."""
    return AMOUNT if key == AMOUNT.key else kind_of(step.kind).input(key)


def binding_of(step: Step, key: str) -> Binding:
    """Where an input of a step takes its value."""
    if key == AMOUNT.key:
        return step.amount
    return step.inputs.get(key, Binding(value=input_of(step, key).default))


def bind_input(state: State, step_id: str, key: str, binding: Binding) -> State:
    """Bind an input to a parameter or a constant. Raises RecipeError when the types differ."""
    step = step_of(state.project.recipe, step_id)
    input = input_of(step, key)
    if binding.parameter is not None:
        parameter = state.project.recipe.parameter(binding.parameter)
        if parameter is None or parameter.type is not input.type:
            raise RecipeError(f"'{input.label}' takes a {input.type.value} parameter.")
        if parameter.choices != input.choices:
            raise RecipeError(f"'{parameter.name}' offers other choices than '{input.label}'.")
    elif binding.value is not None:
        binding = Binding(value=input.accept(binding.value))
    if key == AMOUNT.key:
        return _with_step(state, step.model_copy(update={"amount": binding}))
    return _with_step(state, step.model_copy(update={"inputs": {**step.inputs, key: binding}}))


def name_input(state: State, step_id: str, key: str, name: str, group: str = "") -> State:
    """Turn a constant input into a new parameter of this name, with the constant as its default, and bind it."""
    step = step_of(state.project.recipe, step_id)
    input = input_of(step, key)
    value = binding_of(step, key).value
    parameter = Parameter(
        id=new_id("parameter"), name=free_parameter_name(state.project.recipe, name), type=input.type,
        default=input.default if value is None else value, low=input.low, high=input.high, unit=input.unit,
        choices=input.choices, group=group, description=input.description,
    )  # fmt: skip
    state = _with_recipe(state, parameters=(*state.project.recipe.parameters, parameter))
    return bind_input(state, step_id, key, Binding(parameter=parameter.id))


def free_parameter_name(recipe: Recipe, wanted: str) -> str:
    """The name, or with a number behind it when another parameter has it."""
    names = {parameter.name.lower() for parameter in recipe.parameters}
    name, number = wanted.strip() or "Value", 2
    while name.lower() in names:
        name, number = f"{wanted} {number}", number + 1
    return name


def release_input(state: State, step_id: str, key: str, value: Value) -> State:
    """Unbind an input from its parameter and keep this value as a constant."""
    return bind_input(state, step_id, key, Binding(value=value))


def update_parameter(state: State, parameter_id: str, **parts: object) -> State:
    """Change a parameter's name, range, unit, group, description or default. Raises RecipeError for what cannot be."""
    recipe = state.project.recipe
    parameter = recipe.parameter(parameter_id)
    if parameter is None:
        raise RecipeError("That parameter is gone.")
    if "name" in parts:
        name = str(parts["name"]).strip()
        if not name:
            raise RecipeError("A parameter needs a name.")
        if any(p.name.lower() == name.lower() and p.id != parameter_id for p in recipe.parameters):
            raise RecipeError(f"Another parameter is called '{name}'. To share one, bind the step to it.")
        parts["name"] = name
    try:
        changed = Parameter.model_validate({**parameter.model_dump(), **parts})
    except ValueError as error:
        raise RecipeError(str(error).splitlines()[2].strip() if "\n" in str(error) else str(error)) from error
    return _with_recipe(state, parameters=tuple(changed if p.id == parameter_id else p for p in recipe.parameters))


def remove_parameter(state: State, parameter_id: str) -> State:
    """Take a parameter out; inputs bound to it keep its default as a constant, variants forget it."""
    recipe = state.project.recipe
    parameter = recipe.parameter(parameter_id)
    if parameter is None:
        return state
    for step in recipe.users(parameter_id):
        for key in ("amount", *step.inputs):
            current = step_of(state.project.recipe, step.id)
            if binding_of(current, key).parameter == parameter_id:
                value = input_of(current, key).accept(parameter.default)
                state = release_input(state, step.id, key, value)
    variants = tuple(
        v.model_copy(update={"values": {k: x for k, x in v.values.items() if k != parameter_id}})
        for v in state.project.variants
    )
    state = state.with_project(variants=variants)
    return _with_recipe(state, parameters=tuple(p for p in state.project.recipe.parameters if p.id != parameter_id))
