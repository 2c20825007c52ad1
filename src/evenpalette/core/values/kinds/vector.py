"""Two to four numbers with one range, '0.2, 0.5, 0'; its choices are their names."""

import math
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

from evenpalette.core.errors import ValueProblem
from evenpalette.core.values.kind import Value, ValueKind, ValueType, Within, text_of
from evenpalette.core.values.kinds.number import in_range, varied_number

if TYPE_CHECKING:
    from numpy.random import Generator


def vector_parts(text: str) -> tuple[float, ...]:
    """The two to four numbers of '0.2, 0.5, 0'. Raises ValueProblem."""
    try:
        parts = tuple(float(part) for part in text.split(","))
    except ValueError:
        parts = ()
    if not 2 <= len(parts) <= 4 or not all(math.isfinite(part) for part in parts):
        raise ValueProblem(f"A vector is two to four numbers with commas between, as '0.2, 0.5', not '{text[:60]}'.")
    return parts


def vector_text(parts: Iterable[float]) -> str:
    """The text that `vector_parts` reads."""
    return ", ".join(f"{part:.9g}" for part in parts)


def _accept(value: object, within: Within) -> Value:
    parts = vector_parts(text_of(value, ValueType.VECTOR, within))
    if within.choices and len(parts) != len(within.choices):
        raise ValueProblem(f"'{within.label}' takes {len(within.choices)} numbers, not {len(parts)}.")
    return vector_text(in_range(part, within) for part in parts)


def _choices_problem(choices: Sequence[str]) -> str:
    return "" if 2 <= len(choices) <= 4 else "is a vector of two to four numbers, each with a name"


def _others(now: Value, within: Within) -> Sequence[Value]:
    return [vector_text([end] * len(within.choices)) for end in (within.low, within.high)]


def _mixed(one: Value, other: Value, t: float) -> Value:
    pairs = zip(vector_parts(str(one)), vector_parts(str(other)), strict=True)
    return vector_text([x + (y - x) * t for x, y in pairs])


def _varied(now: Value, within: Within, spread: float, source: "Generator") -> Value:
    return vector_text([varied_number(part, within, spread, source) for part in vector_parts(str(now))])


KIND = ValueKind(
    ValueType.VECTOR, 6, _accept, prepared=lambda value, within, seconds: vector_parts(str(value)), others=_others,
    told=lambda value, within, files: list(vector_parts(str(value))), choices_problem=_choices_problem, has_range=True,
    mixed=_mixed, between=lambda a, b: f"mix({a}, {b}, t)", varied=_varied,
    shader_type=lambda within: f"vec{len(within.choices)}", is_parameter=True,
)  # fmt: skip
