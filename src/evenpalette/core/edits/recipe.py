"""Changing the recipe: its steps and its parameters."""

from evenpalette.core.document.project import OpacityUse
from evenpalette.core.document.state import State, new_id
from evenpalette.core.errors import RecipeError
from evenpalette.core.names import checked_name
from evenpalette.core.recipe.binding import read_binding
from evenpalette.core.recipe.kind import AMOUNT, StepKind
from evenpalette.core.recipe.pick import accepted_pick
from evenpalette.core.recipe.pulse import accepted_pulse
from evenpalette.core.recipe.recipe import Binding, Recipe, Row, Step
from evenpalette.core.recipe.steps import KINDS, kind_of, known_kind
from evenpalette.core.values import ChannelRef, Input, ValueType


def with_recipe(state: State, **parts: object) -> State:
    """The state with parts of the state's sheet's recipe replaced."""
    return state.with_project(recipe=state.project.recipe.model_copy(update=parts))


def with_step(state: State, changed: Step) -> State:
    """The state with a step of this id replaced."""
    steps = tuple(changed if step.id == changed.id else step for step in state.project.recipe.steps)
    return with_recipe(state, steps=steps)


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
    """Add a step of a kind with one row, at a place in the order (None is the end), with a fitting texture where it
    reads one. regions: of the row; None is the whole surface."""
    kind = known_kind(kind_key)
    begin = {i.key: Binding(value=i.default) for i in kind.all_inputs} | _fitting_maps(state, kind)
    own = {key: begin[key] for key in kind.row_inputs}
    shared = {key: binding for key, binding in begin.items() if key not in own}
    step = Step(
        id=step_id or new_id("step"), kind=kind_key, name=kind.label, inputs=shared,
        rows=(Row(id=new_id("row"), regions=regions, inputs=own),),
    )  # fmt: skip
    steps = list(state.project.recipe.steps)
    steps.insert(len(steps) if at is None else at, step)
    return with_recipe(state, steps=tuple(steps))


def _fitting_maps(state: State, kind: StepKind) -> dict[str, Binding]:
    """The first texture of a fitting role for each map that needs one."""
    found = {}
    for map_ in kind.maps:
        fitting = [t for role in map_.roles for t in state.project.asset.textures if t.role.value == role]
        if fitting and map_.needed:
            found[map_.key] = Binding(value=fitting[0].id if map_.whole else str(ChannelRef(fitting[0].id)))
    return found


def place_over_paint(recipe: Recipe, kind_key: str) -> int:
    """Where a step of this kind goes to lie over all steps of kinds that come before it in the order of work."""
    order = known_kind(kind_key).order
    places = [i for i, step in enumerate(recipe.steps) if step.kind in KINDS and KINDS[step.kind].order <= order]
    return places[-1] + 1 if places else 0


def remove_step(state: State, step_id: str) -> State:
    """Take a step out. Parameters stay."""
    return with_recipe(state, steps=tuple(s for s in state.project.recipe.steps if s.id != step_id))


def duplicate_step(state: State, step_id: str) -> State:
    """A copy of the step right after it, bound to the same parameters."""
    steps = list(state.project.recipe.steps)
    index = steps.index(step_of(state.project.recipe, step_id))
    rows = tuple(row.model_copy(update={"id": new_id("row")}) for row in steps[index].rows)
    steps.insert(index + 1, steps[index].model_copy(update={"id": new_id("step"), "rows": rows}))
    return with_recipe(state, steps=tuple(steps))


def move_step(state: State, step_id: str, target: int) -> State:
    """Move a step to a place in the order."""
    steps = list(state.project.recipe.steps)
    step = step_of(state.project.recipe, step_id)
    steps.remove(step)
    steps.insert(min(max(target, 0), len(steps)), step)
    return with_recipe(state, steps=tuple(steps))


def update_step(state: State, step_id: str, **parts: object) -> State:
    """Change a step's name or enabled."""
    if "name" in parts:
        parts["name"] = checked_name(str(parts["name"]), "A step")
    step = step_of(state.project.recipe, step_id)
    return with_step(state, Step.model_validate({**step.model_dump(), **parts}))


def set_base(state: State, base: str) -> State:
    """What the recipe starts from: 'tone' or a texture id."""
    return with_recipe(state, base=base)


def set_opacity_use(state: State, use: OpacityUse) -> State:
    """How the opacity of the state's sheet is meant."""
    changed = state.sheet.model_copy(update={"opacity": use})
    return state.with_project(sheets=tuple(changed if s.id == changed.id else s for s in state.project.sheets))


def input_of(step: Step, key: str) -> Input:
    """An input of a step, the amount included."""
    return AMOUNT if key == AMOUNT.key else kind_of(step.kind).input(key)


def row_of(step: Step, row_id: str | None) -> Row | None:
    """The row, None for the values that all share. Raises RecipeError when it is gone."""
    if row_id is None:
        return None
    row = step.row(row_id)
    if row is None:
        raise RecipeError("That row is gone.")
    return row


def binding_of(step: Step, key: str, row_id: str | None = None) -> Binding:
    """Where an input takes its value: in a row (its own, else the shared one), or as all rows share it."""
    row = row_of(step, row_id)
    if key == AMOUNT.key:
        return row.amount if row is not None else step.amount
    return step.binding(row, key) or Binding(value=input_of(step, key).default)


def bind_input(state: State, step_id: str, key: str, binding: Binding, row_id: str | None = None) -> State:
    """Bind an input of a row to a parameter or a constant; without a row, what all rows share.

    An input that a row has for itself is shared by binding it without a row, and own again by binding it with one.
    Raises RecipeError when the types differ.
    """
    step = step_of(state.project.recipe, step_id)
    input = input_of(step, key)
    if binding.parameter is not None:
        parameter = state.project.recipe.parameter(binding.parameter)
        if parameter is not None and parameter.type is ValueType.VECTOR:
            if input.type is not ValueType.NUMBER or binding.part is None or binding.part >= len(parameter.choices):
                raise RecipeError(f"'{input.label}' cannot follow a number of the vector '{parameter.name}'.")
        elif parameter is None or parameter.type is not input.type:
            raise RecipeError(f"'{input.label}' takes a {input.type.value} parameter.")
        elif parameter.choices != input.choices and parameter.type is not ValueType.TEXTURE:
            raise RecipeError(f"'{parameter.name}' offers other choices than '{input.label}'.")
    elif binding.pick is not None:
        binding = Binding(pick=accepted_pick(binding.pick, input))
    elif binding.pulse is not None:
        binding = Binding(pulse=accepted_pulse(binding.pulse, input))
    elif binding.value is not None:
        binding = Binding(value=input.accept(binding.value))
    row = row_of(step, row_id)
    if row is not None:
        if key == AMOUNT.key:
            return _with_row(state, step, row.model_copy(update={"amount": binding}))
        return _with_row(state, step, row.model_copy(update={"inputs": {**row.inputs, key: binding}}))
    if key == AMOUNT.key:
        return with_step(state, step.model_copy(update={"amount": binding}))
    rows = tuple(r.model_copy(update={"inputs": {k: b for k, b in r.inputs.items() if k != key}}) for r in step.rows)
    return with_step(state, step.model_copy(update={"inputs": {**step.inputs, key: binding}, "rows": rows}))


def _with_row(state: State, step: Step, changed: Row) -> State:
    rows = tuple(changed if row.id == changed.id else row for row in step.rows)
    return with_step(state, step.model_copy(update={"rows": rows}))


def share_input(state: State, step_id: str, key: str, row_id: str | None = None) -> State:
    """All rows take the value of one of them (the first by default) from now on."""
    step = step_of(state.project.recipe, step_id)
    row = row_of(step, row_id) or next(iter(step.rows), None)
    return bind_input(state, step_id, key, binding_of(step, key, row.id if row is not None else None))


def own_input(state: State, step_id: str, key: str) -> State:
    """Every row has this input for itself from now on, beginning with what they shared."""
    step = step_of(state.project.recipe, step_id)
    rows = tuple(
        r.model_copy(update={"inputs": {**r.inputs, key: step.binding(r, key) or Binding(value=input_of(step, key).default)}})
        for r in step.rows
    )  # fmt: skip
    inputs = {k: b for k, b in step.inputs.items() if k != key}
    return with_step(state, step.model_copy(update={"rows": rows, "inputs": inputs}))


def join_neighbors(state: State, step_id: str) -> State:
    """Join a step with the steps beside it that are of its kind, into one with all their rows; what all have alike is
    set once. Raises RecipeError when there is none that can be joined.

    They can be joined when they share no region. Where their regions meet softly the result
    changes: rows act on what was before the step, steps one after another.
    """
    recipe = state.project.recipe
    steps = list(recipe.steps)
    place = steps.index(step_of(recipe, step_id))
    first = last = place

    def fits(other: Step, group: list[Step]) -> bool:
        like = (other.kind, other.enabled) == (group[0].kind, group[0].enabled)
        rows = [row for step in (other, *group) for row in step.rows]
        named = [region for row in rows for region in row.regions or ()]
        home = {state.project.regions.division_of(region).id for region in named}
        return (
            like and all(row.regions is not None for row in rows) and len(set(named)) == len(named) and len(home) == 1
        )

    while first > 0 and fits(steps[first - 1], steps[first : last + 1]):
        first -= 1
    while last + 1 < len(steps) and fits(steps[last + 1], steps[first : last + 1]):
        last += 1
    if first == last:
        raise RecipeError("No step beside it is of the same kind and for other regions.")
    group = steps[first : last + 1]
    kind = kind_of(group[0].kind)
    rows, amounts = [], []
    for step in group:
        for row in step.rows:
            inputs = {i.key: step.binding(row, i.key) or Binding(value=i.default) for i in kind.all_inputs}
            rows.append(row.model_copy(update={"inputs": inputs}))
            amounts.append(step.amount if row.amount == Binding(value=1.0) else row.amount)
    same_amount = all(amount == amounts[0] for amount in amounts)
    alike = {
        key: binding for key, binding in rows[0].inputs.items()
        if key not in kind.row_inputs and all(row.inputs[key] == binding for row in rows)
    }  # fmt: skip
    joined = tuple(
        row.model_copy(update={
            "inputs": {key: binding for key, binding in row.inputs.items() if key not in alike},
            "amount": Binding(value=1.0) if same_amount else amount,
        })
        for row, amount in zip(rows, amounts, strict=True)
    )  # fmt: skip
    changed = group[0].model_copy(update={
        "id": step_id, "name": kind.label, "rows": joined, "inputs": alike,
        "amount": amounts[0] if same_amount else Binding(value=1.0),
    })  # fmt: skip
    return with_recipe(state, steps=(*steps[:first], changed, *steps[last + 1 :]))


def add_row(
    state: State, step_id: str, regions: tuple[str, ...] | None, row_id: str | None = None, like: str | None = None
) -> State:
    """Add a row for regions of the step's division, None is everywhere else; its values begin as those of the row
    `like` (by default the last one), its colors as constants. Regions that another row has move to the new one."""
    step = step_of(state.project.recipe, step_id)
    pattern = row_of(step, like) or (step.rows[-1] if step.rows else None)
    values = state.values(state.project.active_variant)
    kind = kind_of(step.kind)
    keys = pattern.inputs if pattern is not None else dict.fromkeys(kind.row_inputs)
    own = {key: Binding(value=read_binding(step.binding(pattern, key), kind.input(key), values)) for key in keys}
    made = Row(id=row_id or new_id("row"), regions=(), inputs=own)
    state = with_step(state, step.model_copy(update={"rows": (*step.rows, made)}))
    return set_row_regions(state, step_id, made.id, regions)


def duplicate_row(state: State, step_id: str, row_id: str) -> State:
    """A copy of a row for no region yet, with the same values and parameters."""
    step = step_of(state.project.recipe, step_id)
    row = row_of(step, row_id)
    assert row is not None
    rows = list(step.rows)
    rows.insert(rows.index(row) + 1, row.model_copy(update={"id": new_id("row"), "regions": ()}))
    return with_step(state, step.model_copy(update={"rows": tuple(rows)}))


def remove_row(state: State, step_id: str, row_id: str) -> State:
    """Take a row out. Raises RecipeError for the last one."""
    step = step_of(state.project.recipe, step_id)
    if len(step.rows) < 2:
        raise RecipeError("A step has at least one row. Remove the step instead.")
    return with_step(state, step.model_copy(update={"rows": tuple(r for r in step.rows if r.id != row_id)}))


def move_row(state: State, step_id: str, row_id: str, offset: int) -> State:
    """Move a row in the order in which the card shows them; what the step does stays the same."""
    step = step_of(state.project.recipe, step_id)
    rows = list(step.rows)
    index = next((i for i, row in enumerate(rows) if row.id == row_id), None)
    if index is None:
        return state
    rows.insert(min(max(index + offset, 0), len(rows) - 1), rows.pop(index))
    return with_step(state, step.model_copy(update={"rows": tuple(rows)}))


def set_row_regions(state: State, step_id: str, row_id: str, regions: tuple[str, ...] | None) -> State:
    """Give a row other regions, None is everywhere else. Other rows lose them; a row left with none goes.

    Raises RecipeError for regions of another division than that of the other rows, and for a second everywhere else.
    """
    step = step_of(state.project.recipe, step_id)
    row = row_of(step, row_id)
    assert row is not None
    divided = state.project.regions
    others = [r for other in step.rows if other.id != row_id for r in other.regions or () if r not in (regions or ())]
    homes = {divided.division_of(r).id for r in (*others, *(regions or ()))}
    if len(homes) > 1:
        names = sorted(d.name for d in divided.divisions if d.id in homes)
        raise RecipeError(
            f"All rows of a step take regions of one division, not of {' and '.join(names)}. Add another step."
        )
    if regions is None and any(other.regions is None for other in step.rows if other.id != row_id):
        raise RecipeError("Another row is everywhere else already.")
    rows = []
    for other in step.rows:
        if other.id == row_id:
            rows.append(other.model_copy(update={"regions": regions}))
        elif other.regions is None or not set(other.regions) & set(regions or ()):
            rows.append(other)
        elif left := tuple(r for r in other.regions if r not in (regions or ())):
            rows.append(other.model_copy(update={"regions": left}))
    return with_step(state, step.model_copy(update={"rows": tuple(rows)}))
