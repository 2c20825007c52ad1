"""One of several words; shaders have its place among them."""

from typing import TYPE_CHECKING

from evenpalette.core.errors import ValueProblem
from evenpalette.core.values.kind import Value, ValueKind, ValueType, Within, text_of

if TYPE_CHECKING:
    from numpy.random import Generator

#: Choices that are tried to see what another one would change.
_MOST_TRIED = 8


def _accept(value: object, within: Within) -> Value:
    word = text_of(value, ValueType.CHOICE, within)
    if word not in within.choices:
        raise ValueProblem(f"'{within.label}' is one of {', '.join(within.choices)}, not '{word[:60]}'.")
    return word


def another_choice(now: Value, within: Within, spread: float, source: "Generator") -> Value:
    """One of the choices by chance, or the same."""
    return within.choices[int(source.integers(len(within.choices)))] if source.random() < spread else now


KIND = ValueKind(
    ValueType.CHOICE, 3, _accept, prepared=lambda value, within, seconds: within.choices.index(str(value)),
    others=lambda now, within: within.choices[:_MOST_TRIED],
    between=lambda a, b: f"int(floor((later ? {b} : {a}) + 0.5))", varied=another_choice,
    shader_type=lambda within: "int", is_parameter=True, differs_by_copy=True,
)  # fmt: skip
