"""One of several words; shaders have its place among them."""

from collections.abc import Sequence
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


def place_among_choices(value: Value, within: Within) -> tuple[int]:
    """Where one of the choices stands among them; -1 for one that is none of them."""
    return (within.choices.index(str(value)) if str(value) in within.choices else -1,)


def some_needed(choices: Sequence[str]) -> str:
    """What is wrong where there is nothing to choose."""
    return "" if choices else "has no choices"


def another_choice(now: Value, within: Within, spread: float, source: "Generator") -> Value:
    """One of the choices by chance, or the same."""
    return within.choices[int(source.integers(len(within.choices)))] if source.random() < spread else now


KIND = ValueKind(
    ValueType.CHOICE, 3, _accept, prepared=lambda value, within, seconds: within.choices.index(str(value)),
    others=lambda now, within: within.choices[:_MOST_TRIED],
    told=lambda value, within, files: {"choice": str(value), "index": within.choices.index(str(value))},
    rank=place_among_choices, choices_problem=some_needed,
    between=lambda a, b: f"int(floor((later ? {b} : {a}) + 0.5))", varied=another_choice,
    shader_type=lambda within: "int", is_short=True, is_written=True, is_parameter=True, differs_by_copy=True,
)  # fmt: skip
