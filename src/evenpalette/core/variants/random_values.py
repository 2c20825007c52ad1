"""Values by chance: new ones within limits, or those of the variants that are there, mixed anew.

Colors move in OKLCh (B. Ottosson 2020, CSS Color 4): hue around the circle, chroma by a factor, lightness a little, and
back into the sRGB gamut. How far each moves is common practice, no source.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from evenpalette.core.color.hexcode import hex_to_linear, linear_to_hex
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_oklch, oklch_to_linear_in_gamut
from evenpalette.core.document.crowd import Limit
from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import Value, ValueType, vector_parts, vector_text
from evenpalette.core.variants.limits import color_within, keeps

#: At full spread: turns of hue, doublings of chroma, OKLab lightness; and the chroma that a gray may take on.
_HUE, _CHROMA, _LIGHTNESS, _GRAY_CHROMA = 0.5, 1.0, 0.5, 0.25
#: Darker or lighter ones are not rolled: they tell little of their hue.
_DARKEST, _LIGHTEST = 0.18, 0.93
#: A color with less chroma has no hue that could be turned.
_GRAY = 0.02
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
            value = parameter.accept(_varied(parameter, now, chance.spread, source))
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
            if keeps(limit, color := _varied_color(str(now), spread, source)):
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


def _varied(parameter: Parameter, now: Value, spread: float, source: np.random.Generator) -> Value:
    if parameter.type is ValueType.COLOR:
        return _varied_color(str(now), spread, source)
    width = parameter.high - parameter.low
    if parameter.type in (ValueType.NUMBER, ValueType.INTEGER):
        moved = float(now) + float(source.uniform(-1, 1)) * spread * width
        clipped = min(max(moved, parameter.low), parameter.high)
        return round(clipped) if parameter.type is ValueType.INTEGER else clipped
    if parameter.type is ValueType.VECTOR:
        numbers = [number + float(source.uniform(-1, 1)) * spread * width for number in vector_parts(str(now))]
        return vector_text([min(max(number, parameter.low), parameter.high) for number in numbers])
    if parameter.type is ValueType.SWITCH:
        return (not now) if source.random() < spread / 2 else now
    if parameter.type in (ValueType.CHOICE, ValueType.TEXTURE):
        return parameter.choices[int(source.integers(len(parameter.choices)))] if source.random() < spread else now
    return now


def _varied_color(now: str, spread: float, source: np.random.Generator) -> str:
    lightness, chroma, hue = (float(part) for part in oklab_to_oklch(linear_to_oklab(hex_to_linear(now))))
    turn, factor = (float(source.uniform(-1, 1)) * spread for _ in range(2))
    if chroma < _GRAY:
        chroma, hue = chroma + _GRAY_CHROMA * abs(factor), float(source.uniform(0, 360))
    else:
        chroma, hue = chroma * 2 ** (factor * _CHROMA), hue + 360 * _HUE * turn
    # Among those in reach that show what color they are.
    low, high = (min(max(lightness + way * spread * _LIGHTNESS, _DARKEST), _LIGHTEST) for way in (-1, 1))
    lightness = float(source.uniform(min(low, lightness), max(high, lightness)))
    return linear_to_hex(oklch_to_linear_in_gamut(np.array([lightness, chroma, hue % 360], np.float32)))
