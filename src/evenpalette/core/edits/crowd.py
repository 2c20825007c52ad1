"""The crowd of an asset: how it is laid, what a copy of it is, and a copy kept as a variant."""

from collections.abc import Iterator
from typing import Any

import numpy as np
from pydantic import ValidationError

from evenpalette.core.crowd import Laid
from evenpalette.core.document.crowd import USUAL_SHARE, Crowd, MovedCopy
from evenpalette.core.document.state import State, new_id
from evenpalette.core.edits.parameters import free_parameter_name
from evenpalette.core.edits.variants import add_variant, find_variant, set_value
from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.binding import read_binding
from evenpalette.core.recipe.kind import AMOUNT
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.pick import pick_index, pick_share
from evenpalette.core.recipe.recipe import Binding, Pick, Row, Step
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.values import Input, ValueType, value_text

#: Numbers that a table of float32 has exactly.
_EXACT = (1 << 24) - 1
#: Numbers among which one with the same picks is looked for, and how far a number between may be off.
_LOOKED_AT, _NEARLY = 1 << 16, 1 / 256
_PIN = "Kept copy"


def change_crowd(state: State, **parts: Any) -> State:
    """The crowd laid otherwise. Raises RecipeError for what it cannot be."""
    try:
        crowd = Crowd.model_validate(state.project.crowd.model_dump() | parts)
    except ValidationError as error:
        raise RecipeError(f"The crowd cannot be laid so: {error.errors()[0]['msg']}.") from error
    return state.with_project(crowd=crowd)


def laid_of(state: State, step: float) -> Laid:
    """The copies as the document says. step: how far neighbors stand at a spacing of 1. Rows are the variants in their
    order, from 1; row 0 where there is none."""
    crowd, apart = state.project.crowd, step * state.project.crowd.spacing
    shares = tuple(crowd.shares.get(v.id, USUAL_SHARE) for v in state.project.variants)
    moved = {copy.index: (copy.x * apart, copy.z * apart) for copy in crowd.moved}
    return Laid(crowd.count, crowd.laid, apart, shares, crowd.by, moved, frozenset(), crowd.chosen_by)


def move_copy(state: State, index: int, x: float, z: float) -> State:
    """A copy moved to a place, in steps of the crowd."""
    kept = [copy for copy in state.project.crowd.moved if copy.index != index]
    return change_crowd(state, moved=[*kept, MovedCopy(index=index, x=x, z=z)])


def picks(state: State) -> Iterator[tuple[Step, Row | None, Input, Pick]]:
    """Everything of all sheets that differs from copy to copy."""
    for sheet in state.project.sheets:
        for step in sheet.steps:
            kind = KINDS.get(step.kind)
            if kind is None or not step.enabled:
                continue
            places: list[tuple[Row | None, str, Binding]] = [(None, AMOUNT.key, step.amount)]
            places += [(None, key, b) for key, b in step.inputs.items()]
            for row in step.rows:
                places += [(row, AMOUNT.key, row.amount), *((row, key, b) for key, b in row.inputs.items())]
            for held, key, binding in places:
                if binding.pick is not None and (key == AMOUNT.key or key in kind.by_key):
                    yield step, held, AMOUNT if key == AMOUNT.key else kind.input(key), binding.pick


def picked_words(state: State, variant: str | None, number: int) -> list[str]:
    """What a copy of this number has picked, in words: 'Tint of Paper: #d8693c'."""
    values = state.values(variant)
    names = {r.id: r.name for sheet in state.project.sheets for r in sheet.regions.regions}
    found = []
    for step, row, input, pick in picks(state):
        where = names.get(row.regions[0], step.name) if row is not None and row.regions else step.name
        value = read_binding(Binding(pick=pick), input, values, number)
        found.append(f"{input.label} of {where}: {value_text(value, input.unit)}")
    return found


def keep_copy(state: State, variant: str | None, number: int, name: str = "") -> State:
    """A variant that looks as a copy of this variant and number does, wherever it is placed; it becomes the active one.

    Picks then go by a parameter in place of the copy's number where that is 0 or more. Raises RecipeError where a copy
    looks just as its variant does.
    """
    if not any(True for _ in picks(state)):
        raise RecipeError("Nothing differs from copy to copy: each looks as its variant does.")
    state, pin = _pinned(state)
    held = find_variant(state, variant)
    state = add_variant(state, name or f"{held.name if held is not None else 'Copy'} {number % 10000}", variant)
    return set_value(state, state.project.active_variant, pin, equal_number(state, number))


def equal_number(state: State, number: int) -> int:
    """A number that a table has exactly and for which the same is picked: the number itself where it is small."""
    if 0 <= number <= _EXACT:
        return number
    numbers = np.arange(_LOOKED_AT, dtype=np.uint32)
    off = np.zeros(_LOOKED_AT)
    same = np.ones(_LOOKED_AT, bool)
    for *_, pick in picks(state):
        if pick.values:
            count = len(pick.values)
            same &= pick_index(numbers, pick.seed, count) == pick_index(number, pick.seed, count)
        else:
            off = np.maximum(off, np.abs(pick_share(numbers, pick.seed) - pick_share(number, pick.seed)))
    found = np.flatnonzero(same)
    if not len(found):
        return number & _EXACT
    return int(found[np.argmin(np.maximum(off[found], _NEARLY))])


def _pinned(state: State) -> tuple[State, str]:
    """All picks with one parameter that pins them, and its id."""
    known = next((pick.pin for *_, pick in picks(state) if pick.pin), None)
    if known is None or state.project.recipe.parameter(known) is None:
        parameter = Parameter(
            id=new_id("parameter"), name=free_parameter_name(state.project.recipe, _PIN), type=ValueType.INTEGER, default=-1,
            low=-1, high=float(_EXACT),
            description="The number that picks go by in place of the copy's own; -1 for the copy's own.",
        )  # fmt: skip
        known = parameter.id
        state = state.with_project(parameters=(*state.project.parameters, parameter))
    pin = known

    def held(binding: Binding) -> Binding:
        if binding.pick is None or binding.pick.pin == pin:
            return binding
        return Binding(pick=binding.pick.model_copy(update={"pin": pin}))

    def inputs(given: dict[str, Binding]) -> dict[str, Binding]:
        return {key: held(binding) for key, binding in given.items()}

    def step(given: Step) -> Step:
        rows = tuple(r.model_copy(update={"amount": held(r.amount), "inputs": inputs(r.inputs)}) for r in given.rows)
        return given.model_copy(update={"amount": held(given.amount), "inputs": inputs(given.inputs), "rows": rows})

    sheets = tuple(s.model_copy(update={"steps": tuple(map(step, s.steps))}) for s in state.project.sheets)
    return state.with_project(sheets=sheets), pin
