"""What a value is, and what a kind of value knows: what it takes, how it is typed, what lies between two, how a shader
has it."""

from collections.abc import Callable, Mapping, Sequence
from enum import StrEnum
from typing import TYPE_CHECKING, Any, Protocol

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import ValueProblem

if TYPE_CHECKING:
    from numpy.random import Generator

#: A value as the document stores it: a switch, a number, or text (hex color, choice, id, channel, stops, placement).
Value = bool | float | str


class ValueType(StrEnum):
    """What a value is, by the word that documents have for it; a file of `values/kinds` says all else."""

    COLOR = "color"
    NUMBER = "number"
    INTEGER = "integer"
    CHOICE = "choice"
    SWITCH = "switch"
    REGION = "region"
    CHANNEL = "channel"
    TEXTURE = "texture"
    STOPS = "stops"
    PLACEMENT = "placement"
    VECTOR = "vector"


class Within(Protocol):
    """What a value has to fit: an `Input`."""

    @property
    def label(self) -> str: ...
    @property
    def low(self) -> float: ...
    @property
    def high(self) -> float: ...
    @property
    def choices(self) -> tuple[str, ...]: ...


def _as_typed(text: str, unit: str) -> Value:
    return text


def _as_stored(value: Value, within: Within, seconds: float) -> Any:
    return str(value)


def _none_other(now: Value, within: Within) -> Sequence[Value]:
    return ("",)


def _by_the_half(one: Value, other: Value, t: float) -> Value:
    return other if t >= 0.5 else one


def _as_it_is(value: Value, within: Within, files: Mapping[str, str]) -> Any:
    return value


def _by_its_text(value: Value, within: Within) -> tuple[Any, ...]:
    return (str(value),)


def _none_needed(choices: Sequence[str]) -> str:
    return ""


def _stays(now: Value, within: Within, spread: float, source: "Generator") -> Value:
    return now


@dataclass(frozen=True)
class ValueKind:
    """A kind of value.

    key: what documents call it. accept: the value in its range; raises ValueProblem. read: what is typed, with the
    unit that may stand behind it; raises ValueProblem. prepared: as kernels and uniforms take it at a time in
    seconds. numbers: as those that a shader is told, where that is not the prepared value at second 0. told: as JSON
    of a kit has it; files: of textures by their ids. others: values that differ from the present one as much as any.
    mixed: between two at t of 0 to 1, as `between` does it in a shader, from two texts of the table. varied: another
    one near it, by chance, with spread 0 to 1. shader_type: in GLSL, '' where shaders have none. rank: where it
    stands among others that are sorted. choices_problem: why a parameter of this kind cannot have these choices, ''
    where it can. is_number: a number with a range. has_range: one or several of them. is_typed: text in a cell of a
    table is enough to give another one. is_short: it can be printed beside a picture. is_written: constants of it are
    written into a shader's text, or decide what is. is_parameter: a game can be told it; the others name things of
    the project. differs_by_copy: it can be another one for each placed copy: a value that a shader computes.
    """

    key: ValueType
    order: float
    accept: Callable[[object, Within], Value]
    read: Callable[[str, str], Value] = _as_typed
    prepared: Callable[[Value, Within, float], Any] = _as_stored
    numbers: Callable[[Value, Within], Sequence[float]] | None = None
    told: Callable[[Value, Within, Mapping[str, str]], Any] = _as_it_is
    others: Callable[[Value, Within], Sequence[Value]] = _none_other
    mixed: Callable[[Value, Value, float], Value] = _by_the_half
    between: Callable[[str, str], str] = lambda a, b: f"later ? {b} : {a}"
    varied: Callable[[Value, Within, float, "Generator"], Value] = _stays
    shader_type: Callable[[Within], str] = lambda within: ""
    rank: Callable[[Value, Within], tuple[Any, ...]] = _by_its_text
    choices_problem: Callable[[Sequence[str]], str] = _none_needed
    is_number: bool = False
    has_range: bool = False
    is_typed: bool = False
    is_short: bool = False
    is_written: bool = False
    is_parameter: bool = False
    differs_by_copy: bool = False


def refused(value: object, type: ValueType, within: Within) -> ValueProblem:
    """What is said of something that is no value of this type."""
    return ValueProblem(f"'{within.label}' takes a {type.value}, not {str(value)[:60]!r}.")


def text_of(value: object, type: ValueType, within: Within) -> str:
    """The text that a value of this type is. Raises ValueProblem."""
    if not isinstance(value, str):
        raise refused(value, type, within)
    return value
