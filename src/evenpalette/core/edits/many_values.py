"""Values of many variants at once: what the matrix does. A locked parameter is left as it is by all of these."""

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import TypeVar

from evenpalette.core.color.hexcode import format_hex
from evenpalette.core.document.state import State, new_id
from evenpalette.core.document.variant import Variant
from evenpalette.core.edits.parameters import update_parameter
from evenpalette.core.edits.variants import find_variant, free_variant_name
from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import Value, ValueType
from evenpalette.core.variants.between import steps_between

MOST_BETWEEN = 32
_LOCKED = "What was chosen is locked: take the lock from its column first."
_HEX = re.compile(r"#?(?<![0-9a-zA-Z#])#?([0-9a-fA-F]{6}|[0-9a-fA-F]{3})(?![0-9a-zA-Z])")
_RGB = re.compile(r"rgba?\(\s*(\d{1,3})\s*[, ]\s*(\d{1,3})\s*[, ]\s*(\d{1,3})[^)]*\)")
#: Text longer than this is no list of colors.
_LONGEST = 1 << 16
K = TypeVar("K")


def set_many(state: State, values: Mapping[tuple[str | None, str], Value]) -> State:
    """Set values by variant (None: the default) and parameter. Raises RecipeError where all of them are locked or one
    is gone."""
    parameters = {p.id: p for p in state.project.parameters}
    kept = {key: value for key, value in values.items() if key[1] not in state.project.locked}
    if values and not kept:
        raise RecipeError(_LOCKED)
    own: dict[str, dict[str, Value]] = {}
    for (variant, key), value in kept.items():
        parameter = parameters.get(key)
        if parameter is None:
            raise RecipeError("That parameter is gone.")
        if variant is None:
            state = update_parameter(state, key, default=parameter.accept(value))
        else:
            own.setdefault(variant, {})[key] = parameter.accept(value)
    return _with_own(state, own)


def reset_many(state: State, places: Iterable[tuple[str | None, str]]) -> State:
    """Let values follow the parent again, by variant and parameter. Raises RecipeError where all are locked."""
    wanted = [(v, p) for v, p in places if v is not None]
    kept = {(v, p) for v, p in wanted if p not in state.project.locked}
    if wanted and not kept:
        raise RecipeError(_LOCKED)
    variants = tuple(
        v.model_copy(update={"values": {k: x for k, x in v.values.items() if (v.id, k) not in kept}})
        for v in state.project.variants
    )
    return state.with_project(variants=variants)


def _with_own(state: State, own: Mapping[str, Mapping[str, Value]]) -> State:
    def changed(variant: Variant) -> Variant:
        more = own.get(variant.id)
        return variant.model_copy(update={"values": {**variant.values, **more}}) if more else variant

    return state.with_project(variants=tuple(map(changed, state.project.variants)))


def lock_parameter(state: State, parameter: str, locked: bool = True) -> State:
    """Keep a parameter from all that changes many values at once, or no longer."""
    kept = tuple(p for p in state.project.locked if p != parameter)
    return state.with_project(locked=(*kept, parameter) if locked else kept)


def color_parameters(state: State) -> list[Parameter]:
    """The parameters that are colors and not locked, in order."""
    return [p for p in state.project.parameters if p.type is ValueType.COLOR and p.id not in state.project.locked]


def colors_in(text: str) -> list[str]:
    """The colors that a text names, in order, '#rrggbb' each: hex with three or six digits, rgb(). Words between them
    do not matter."""
    found: list[tuple[int, str]] = []
    for match in _HEX.finditer(text[:_LONGEST]):
        digits = match[1]
        if "#" not in match[0] and (len(digits) == 3 or not any(c.isdigit() for c in digits)):
            continue  # a word or a number
        found.append((match.start(), "#" + "".join(c * 2 for c in digits) if len(digits) == 3 else "#" + digits))
    for match in _RGB.finditer(text[:_LONGEST]):
        r, g, b = (min(int(part), 255) for part in match.groups())
        found.append((match.start(), format_hex((r, g, b))))
    return [color.lower() for _, color in sorted(found)]


def paste_colors(state: State, variant: str | None, colors: Sequence[str], first: str | None = None) -> State:
    """Colors put onto a variant's color parameters in order, from one on; what is over is left. Raises RecipeError."""
    if not colors:
        raise RecipeError("There are no colors in that text. Copy some as #d8693c, or a picture.")
    parameters = color_parameters(state)
    begin = next((k for k, p in enumerate(parameters) if p.id == first), 0)
    if not parameters[begin:]:
        raise RecipeError("No color of this project may change: all are locked, or there is none.")
    return set_many(state, {(variant, p.id): c for p, c in zip(parameters[begin:], colors, strict=False)})


def fill_between(state: State, first: str, second: str, count: int) -> State:
    """`count` new variants between two, in equal steps, behind the first. Raises RecipeError."""
    one, other = find_variant(state, first), find_variant(state, second)
    if one is None or other is None or first == second:
        raise RecipeError("Choose two variants to fill the gap between.")
    if not 1 <= count <= MOST_BETWEEN:
        raise RecipeError(f"Between two variants there is room for 1 to {MOST_BETWEEN}.")
    recipe = state.project.recipe
    defaults = {p.id: p.default for p in recipe.parameters}
    made: list[Variant] = []
    for number, values in enumerate(
        steps_between(recipe.parameters, state.values(first), state.values(second), count), 1
    ):
        name = free_variant_name(state.with_project(variants=(*state.project.variants, *made)), f"{one.name} to {other.name} {number}"[:80])  # fmt: skip
        own = {key: value for key, value in values.items() if value != defaults[key]}
        made.append(Variant(id=new_id("variant"), name=name, values=own))
    place = state.project.variants.index(one) + 1
    variants = (*state.project.variants[:place], *made, *state.project.variants[place:])
    return state.with_project(variants=variants, active_variant=made[0].id)
