"""Making, changing and releasing parameters, and setting values where they come from."""

from collections.abc import Iterable, Mapping, Sequence

from evenpalette.core.document.state import State, new_id
from evenpalette.core.edits.recipe import bind_input, binding_of, input_of, step_of, with_recipe
from evenpalette.core.errors import RecipeError
from evenpalette.core.names import checked_name, free_name
from evenpalette.core.raster.raster import Encoding
from evenpalette.core.recipe.kind import AMOUNT
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.recipe import Binding, Recipe, Step
from evenpalette.core.values import Value, ValueType, vector_text


def name_input(state: State, step_id: str, key: str, name: str, group: str = "", row_id: str | None = None) -> State:
    """Turn a constant input into a new parameter of this name, with the constant as its default, and bind it."""
    step = step_of(state.project.recipe, step_id)
    input = input_of(step, key)
    value = binding_of(step, key, row_id).value
    parameter = Parameter(
        id=new_id("parameter"), name=free_parameter_name(state.project.recipe, checked_name(name, "A parameter")), type=input.type,
        default=input.default if value is None else value, low=input.low, high=input.high, unit=input.unit,
        choices=input.choices, group=group, description=input.description,
    )  # fmt: skip
    state = with_recipe(state, parameters=(*state.project.recipe.parameters, parameter))
    return bind_input(state, step_id, key, Binding(parameter=parameter.id), row_id)


def name_texture(state: State, step_id: str, key: str, name: str, group: str = "", row_id: str | None = None) -> State:
    """Turn a texture that a step reads into a new parameter, which chooses among it and those of its role and kind."""
    step = step_of(state.project.recipe, step_id)
    input, held = input_of(step, key), binding_of(step, key, row_id).value
    texture = state.project.asset.texture(str(held or ""))
    if input.type is not ValueType.TEXTURE or texture is None:
        raise RecipeError(
            f"Choose a texture for '{input.label}' first: the parameter then chooses among those like it."
        )
    others = (t.id for t in state.project.asset.textures if t.role is texture.role and t.id != texture.id)
    parameter = Parameter(
        id=new_id("parameter"), name=free_parameter_name(state.project.recipe, checked_name(name, "A parameter")), type=ValueType.TEXTURE, default=texture.id,
        choices=(texture.id, *(o for o in others if are_alike(state, (texture.id, o)))), group=group, description=input.description,
    )  # fmt: skip
    state = with_recipe(state, parameters=(*state.project.recipe.parameters, parameter))
    return bind_input(state, step_id, key, Binding(parameter=parameter.id), row_id)


def are_alike(state: State, textures: Iterable[str]) -> bool:
    """Whether one shader reads all of these textures: all are gray, or none is, and color is not mixed with data."""
    held = [state.textures[t] for t in textures if t in state.textures]
    return (
        len({raster.channels <= 2 for raster in held}) < 2
        and len({raster.encoding is Encoding.DATA for raster in held}) < 2
    )


def name_vector(
    state: State, step_id: str, keys: Sequence[str], name: str, group: str = "", row_id: str | None = None
) -> State:
    """Turn two to four constant numbers of a step into one new parameter, a vector, and bind each to its part."""
    step = step_of(state.project.recipe, step_id)
    inputs = [input_of(step, key) for key in keys]
    bindings = [binding_of(step, key, row_id) for key in keys]
    if (
        not 2 <= len(keys) <= 4
        or any(i.type is not ValueType.NUMBER for i in inputs)
        or not all(b.is_plain for b in bindings)
    ):
        raise RecipeError("A vector takes two to four numbers that follow nothing yet.")
    values = [float(i.default if b.value is None else b.value) for i, b in zip(inputs, bindings, strict=True)]
    parameter = Parameter(
        id=new_id("parameter"), name=free_parameter_name(state.project.recipe, checked_name(name, "A parameter")), type=ValueType.VECTOR,
        default=vector_text(values), low=min(i.low for i in inputs), high=max(i.high for i in inputs),
        choices=tuple(i.label for i in inputs), group=group,
    )  # fmt: skip
    state = with_recipe(state, parameters=(*state.project.recipe.parameters, parameter))
    for part, key in enumerate(keys):
        state = bind_input(state, step_id, key, Binding(parameter=parameter.id, part=part), row_id)
    return state


def free_parameter_name(recipe: Recipe, wanted: str) -> str:
    """The name, or with a number behind it when another parameter has it."""
    return free_name(wanted.strip() or "Value", (parameter.name for parameter in recipe.parameters))


def release_input(state: State, step_id: str, key: str, value: Value, row_id: str | None = None) -> State:
    """Unbind an input from its parameter and keep this value as a constant."""
    return bind_input(state, step_id, key, Binding(value=value), row_id)


def update_parameter(state: State, parameter_id: str, **parts: object) -> State:
    """Change a parameter's name, range, unit, group, description, choices or default. Variants that chose what is no
    choice any more follow their parent again. Raises RecipeError for what cannot be."""
    recipe = state.project.recipe
    parameter = recipe.parameter(parameter_id)
    if parameter is None:
        raise RecipeError("That parameter is gone.")
    if "name" in parts:
        name = checked_name(str(parts["name"]), "A parameter")
        if any(p.name.lower() == name.lower() and p.id != parameter_id for p in recipe.parameters):
            raise RecipeError(f"Another parameter is called '{name}'. To share one, bind the step to it.")
        parts["name"] = name
    try:
        changed = Parameter.model_validate({**parameter.model_dump(), **parts})
    except ValueError as error:
        raise RecipeError(str(error).splitlines()[2].strip() if "\n" in str(error) else str(error)) from error
    if "choices" in parts:
        if changed.type is ValueType.TEXTURE and not are_alike(state, changed.choices):
            raise RecipeError(
                "One shader reads all of them: choose gray textures or colored ones, color or data, not both."
            )
        variants = state.project.variants
        fits = {v.id: parameter_id not in v.values or v.values[parameter_id] in changed.choices for v in variants}
        left = [
            v
            if fits[v.id]
            else v.model_copy(update={"values": {k: x for k, x in v.values.items() if k != parameter_id}})
            for v in variants
        ]
        state = state.with_project(variants=tuple(left))
    return with_recipe(state, parameters=tuple(changed if p.id == parameter_id else p for p in recipe.parameters))


def remove_parameter(state: State, parameter_id: str) -> State:
    """Take a parameter out; inputs bound to it keep its default as a constant, variants forget it."""
    recipe = state.project.recipe
    parameter = recipe.parameter(parameter_id)
    if parameter is None:
        return state
    sheets = tuple(
        sheet.model_copy(update={"steps": tuple(_released(step, parameter) for step in sheet.steps)})
        for sheet in state.project.sheets
    )
    state = state.with_project(sheets=sheets)
    variants = tuple(
        v.model_copy(update={"values": {k: x for k, x in v.values.items() if k != parameter_id}})
        for v in state.project.variants
    )
    state = state.with_project(
        variants=variants, locked=tuple(p for p in state.project.locked if p != parameter_id),
        limits=tuple(limit for limit in state.project.limits if limit.parameter != parameter_id),
    )  # fmt: skip
    return with_recipe(state, parameters=tuple(p for p in state.project.recipe.parameters if p.id != parameter_id))


def _released(step: Step, parameter: Parameter) -> Step:
    """The step with every input that follows the parameter kept at its default."""

    def free(key: str, binding: Binding) -> Binding:
        if binding.pick is not None and binding.pick.pin == parameter.id:
            return Binding(pick=binding.pick.model_copy(update={"pin": None}))
        if binding.parameter != parameter.id:
            return binding
        return Binding(value=input_of(step, key).accept(parameter.default))

    def freed(inputs: Mapping[str, Binding]) -> dict[str, Binding]:
        return {key: free(key, binding) for key, binding in inputs.items()}

    rows = tuple(
        row.model_copy(update={"amount": free(AMOUNT.key, row.amount), "inputs": freed(row.inputs)}) for row in step.rows
    )  # fmt: skip
    return step.model_copy(update={"amount": free(AMOUNT.key, step.amount), "inputs": freed(step.inputs), "rows": rows})


def set_row_values(
    state: State, step_id: str, row_id: str, values: Mapping[str, Value], variant: str | None = None
) -> State:
    """Set several inputs of a row at once. One that follows a parameter sets it, in the variant (None: its default);
    the others become constants of the row. Raises EvenPaletteError."""
    for key, value in values.items():
        step = step_of(state.project.recipe, step_id)
        binding = binding_of(step, key, row_id)
        parameter = state.project.recipe.parameter(binding.parameter or "")
        if parameter is None:
            state = bind_input(state, step_id, key, Binding(value=value), row_id)
        elif variant is None:
            state = update_parameter(state, parameter.id, default=value)
        else:
            variants = tuple(
                v.model_copy(update={"values": {**v.values, parameter.id: parameter.accept(value)}})
                if v.id == variant
                else v
                for v in state.project.variants
            )
            state = state.with_project(variants=variants)
    return state


def set_first_row(state: State, step_id: str, values: Mapping[str, Value]) -> State:
    """Set inputs of a step that was just added: of its first row, or of all rows where they share it."""
    first = step_of(state.project.recipe, step_id).rows[0]
    for key, value in values.items():
        state = bind_input(state, step_id, key, Binding(value=value), first.id if key in first.inputs else None)
    return state
