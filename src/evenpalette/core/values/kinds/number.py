"""A number with a range."""

import math
from typing import TYPE_CHECKING

from evenpalette.core.errors import ValueProblem
from evenpalette.core.values.kind import Value, ValueKind, ValueType, Within, refused

if TYPE_CHECKING:
    from numpy.random import Generator


def in_range(number: float, within: Within) -> float:
    """A number, or the end of the range that is nearest to it."""
    return min(max(number, within.low), within.high)


def clamped(value: object, type: ValueType, within: Within) -> float:
    """A number in its range. Raises ValueProblem."""
    if not isinstance(value, int | float) or isinstance(value, bool):
        raise refused(value, type, within)
    if not math.isfinite(value):
        raise ValueProblem(f"'{within.label}' is a number from {within.low:g} to {within.high:g}, not {value}.")
    return in_range(float(value), within)


def as_number(value: Value, within: Within) -> tuple[float]:
    """Numbers are sorted as such."""
    return (float(value),)


def typed_number(text: str, unit: str) -> float:
    """A number as it is typed, its unit or, of a share, percent behind it. Raises ValueProblem."""
    percent = unit == "share" and text.endswith("%")
    bare = text.removesuffix("%" if percent else unit).replace(",", ".").strip()
    try:
        number = float(bare)
    except ValueError:
        raise ValueProblem(f"'{text[:60]}' is not a number.") from None
    return number / 100 if percent else number


def varied_number(now: Value, within: Within, spread: float, source: "Generator") -> float:
    """A number near another one, by chance, in its range."""
    moved = float(now) + float(source.uniform(-1, 1)) * spread * (within.high - within.low)
    return in_range(moved, within)


def ends_and_middle(now: Value, within: Within) -> tuple[float, float, float]:
    """The numbers of a range that differ most."""
    return within.low, within.high, (within.low + within.high) / 2


KIND = ValueKind(
    ValueType.NUMBER, 1, lambda value, within: clamped(value, ValueType.NUMBER, within),
    read=typed_number, prepared=lambda value, within, seconds: float(value), others=ends_and_middle,
    told=lambda value, within, files: float(value), rank=as_number,
    mixed=lambda one, other, t: float(one) + (float(other) - float(one)) * t, between=lambda a, b: f"mix({a}, {b}, t)",
    varied=varied_number, shader_type=lambda within: "float", is_number=True, has_range=True,
    is_typed=True, is_short=True, is_parameter=True, differs_by_copy=True,
)  # fmt: skip
