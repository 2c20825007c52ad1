"""A whole number with a range."""

from typing import TYPE_CHECKING

import numpy as np

from evenpalette.core.values.kind import Value, ValueKind, ValueType, Within
from evenpalette.core.values.kinds.number import as_number, clamped, ends_and_middle, typed_number, varied_number

if TYPE_CHECKING:
    from numpy.random import Generator


def _mixed(one: Value, other: Value, t: float) -> Value:
    return int(np.floor(int(one) + (int(other) - int(one)) * t + 0.5))


def _varied(now: Value, within: Within, spread: float, source: "Generator") -> Value:
    return round(varied_number(now, within, spread, source))


KIND = ValueKind(
    ValueType.INTEGER, 2, lambda value, within: float(round(clamped(value, ValueType.INTEGER, within))),
    read=typed_number, prepared=lambda value, within, seconds: int(value), others=ends_and_middle,
    told=lambda value, within, files: int(value), rank=as_number,
    mixed=_mixed, between=lambda a, b: f"int(floor(mix({a}, {b}, t) + 0.5))", varied=_varied,
    shader_type=lambda within: "int", is_number=True, has_range=True, is_typed=True, is_short=True,
    is_parameter=True, differs_by_copy=True,
)  # fmt: skip
