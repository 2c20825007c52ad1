"""Values by chance: new ones within limits, or those of the variants that are there, mixed anew."""

from collections.abc import Mapping, Sequence
from dataclasses import field
from enum import StrEnum

import numpy as np

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.crowd import Limit
from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import Value, ValueType
from evenpalette.core.values.kinds.color import varied_color
from evenpalette.core.variants.limits import color_within, keeps

#: Rolls that may miss a limit before one is made within it.
_TRIES = 4


class RollWay(StrEnum):
    """VARY: values near those that are there. MIX: each value of a variant that is there, of another one each time."""

    VARY = "vary"
    MIX = "mix"


@dataclass(frozen=True)
class Chance:
    """spread: how far values go, 0..1 of what their parameters allow. free: ids of the parameters that may change.
    limits: what values of parameters keep to, by id. among: the only values that those of few choices have."""

    way: RollWay
    spread: float
    free: frozenset[str]
    limits: Mapping[str, Limit] = field(default_factory=dict)
    among: Mapping[str, tuple[Value, ...]] = field(default_factory=dict)


def roll(
    parameters: Sequence[Parameter], base: Mapping[str, Value], known: Sequence[Mapping[str, Value]], chance: Chance,
    source: np.random.Generator,
) -> dict[str, Value]:  # fmt: skip
    """The values that differ from the base, by the parameter's id.

    base: every parameter's value. known: the values of the variants that are there. Equal sources give equal values.
    What may change keeps to its limit, whatever it was before. Raises RecipeError for a limit that nothing keeps to.
    """
    found: dict[str, Value] = {}
    for parameter in parameters:
        if parameter.id not in chance.free:
            continue
        now, limit = base[parameter.id], chance.limits.get(parameter.id)
        if chance.way is RollWay.MIX and known:
            value = known[int(source.integers(len(known)))][parameter.id]
        else:
            value = parameter.accept(parameter.input.kind.varied(now, parameter.input, chance.spread, source))
        few = chance.among.get(parameter.id)
        if few and value not in few:
            value = few[int(source.integers(len(few)))]
        if limit is not None and not keeps(limit, value):
            value = _brought_within(parameter, now, chance.spread, limit, source)
        if value != now:
            found[parameter.id] = value
    return found


def _brought_within(
    parameter: Parameter, now: Value, spread: float, limit: Limit, source: np.random.Generator
) -> Value:
    """Another value that keeps to a limit."""
    if parameter.type is ValueType.COLOR:
        for _ in range(_TRIES):
            if keeps(limit, color := varied_color(str(now), spread, source)):
                return color
        return color_within(limit, source, parameter.name)
    assert limit.numbers is not None
    low, high = max(limit.numbers[0], parameter.low), min(limit.numbers[1], parameter.high)
    if parameter.type is ValueType.INTEGER:
        low, high = float(np.ceil(low)), float(np.floor(high))
    if low > high:
        raise RecipeError(f"No number is within the limits of {parameter.name}. Let them be wider.")
    number = low + (high - low) * float(source.random())
    return parameter.accept(round(number) if parameter.type is ValueType.INTEGER else number)
