"""One description of a typed value, for steps, operations on coverages and parameters; one widget edits it."""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import normalize_hex
from evenpalette.core.errors import ValueProblem
from evenpalette.core.placement import Placement

#: A value as the document stores it: a switch, a number, or text (hex color, choice, id, channel, stops, placement).
Value = bool | float | str


class ValueType(StrEnum):
    """What a value is.

    region, texture: an id, '' for none. channel: 'texture id:0..3', with ':inverted' behind it where it is. stops:
    '0:0, 0.5:1, 1:0'. placement: see `Placement`. vector: two to four numbers, '0.2, 0.5, 0'.
    """

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


#: What can differ from copy to copy: a value that a shader computes.
PICK_TYPES = (
    ValueType.COLOR, ValueType.NUMBER, ValueType.INTEGER, ValueType.CHOICE, ValueType.SWITCH, ValueType.PLACEMENT,
)  # fmt: skip
#: What a parameter of a game can be: the others name things of the project. A texture is one of those of the choice.
PARAMETER_TYPES = (*PICK_TYPES, ValueType.VECTOR, ValueType.TEXTURE)


@dataclass(frozen=True)
class Input:
    """A value that something reads: its words, its type, its range.

    unit: written behind a number; 'share' is a number of 0 to 1 that may also be read and typed as percent. choices: of
    a texture the ids of those that may be chosen, () for all; of a vector the names of its numbers.
    """

    key: str
    label: str
    type: ValueType
    default: Value
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    choices: tuple[str, ...] = ()
    description: str = ""

    def accept(self, value: object) -> Value:
        """The value in this input's type and range. Raises ValueProblem."""
        return accept_value(value, self.type, self.low, self.high, self.choices, self.label)


def accept_value(value: object, type: ValueType, low: float, high: float, choices: tuple[str, ...], name: str) -> Value:
    """The value in this type: numbers are clamped to the range, colors become '#rrggbb'. Raises ValueProblem."""
    is_number = isinstance(value, int | float) and not isinstance(value, bool)
    if type in (ValueType.NUMBER, ValueType.INTEGER) and is_number:
        number = float(value)  # type: ignore[arg-type]
        if not math.isfinite(number):
            raise ValueProblem(f"'{name}' is a number from {low:g} to {high:g}, not {value}.")
        number = min(max(number, low), high)
        return number if type is ValueType.NUMBER else float(round(number))
    if type is ValueType.SWITCH and isinstance(value, bool):
        return value
    if isinstance(value, str):
        if type is ValueType.COLOR:
            return normalize_hex(value)
        if type is ValueType.CHOICE and value in choices:
            return value
        if type is ValueType.CHOICE:
            raise ValueProblem(f"'{name}' is one of {', '.join(choices)}, not '{value[:60]}'.")
        if type is ValueType.STOPS:
            return format_stops(list(zip(*parse_stops(value), strict=True)))
        if type is ValueType.PLACEMENT:
            return str(Placement.parse(value))
        if type is ValueType.CHANNEL:
            ref = ChannelRef.parse(value)
            return "" if ref is None else str(ref)
        if type is ValueType.TEXTURE and choices and value not in choices:
            raise ValueProblem(f"'{name}' takes one of its {len(choices)} textures.")
        if type in (ValueType.REGION, ValueType.TEXTURE):
            return value
        if type is ValueType.VECTOR:
            parts = vector_parts(value)
            if choices and len(parts) != len(choices):
                raise ValueProblem(f"'{name}' takes {len(choices)} numbers, not {len(parts)}.")
            return vector_text(min(max(part, low), high) for part in parts)
    raise ValueProblem(f"'{name}' takes a {type.value}, not {str(value)[:60]!r}.")


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


def parse_value(text: str, type: ValueType, unit: str = "") -> Value:
    """A value as it is typed. Raises ValueProblem for text that is no number where one is wanted."""
    text = text.strip()
    if type is ValueType.SWITCH:
        return text.lower() in ("on", "true", "1", "yes")
    if type not in (ValueType.NUMBER, ValueType.INTEGER):
        return text
    percent = unit == "share" and text.endswith("%")
    bare = text.removesuffix("%" if percent else unit).replace(",", ".").strip()
    try:
        number = float(bare)
    except ValueError:
        raise ValueProblem(f"'{text[:60]}' is not a number.") from None
    return number / 100 if percent else number


def value_text(value: Value, unit: str = "") -> str:
    """A value as it is read."""
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:g}{'' if unit == 'share' else unit}" if isinstance(value, int | float) else value


class ChannelRef(NamedTuple):
    """One channel (0 red .. 3 alpha) of a texture, taken as data 0..1."""

    texture: str
    channel: int = 0
    invert: bool = False

    @classmethod
    def parse(cls, text: str) -> "ChannelRef | None":
        """The channel that text names, None for ''. Raises ValueProblem."""
        if not text:
            return None
        bare = text.removesuffix(":inverted")
        texture, _, channel = bare.rpartition(":")
        if not texture or channel not in ("0", "1", "2", "3"):
            raise ValueProblem(f"A channel is a texture's id, a colon and 0 to 3, not '{text[:60]}'.")
        return cls(texture, int(channel), bare != text)

    def __str__(self) -> str:
        return f"{self.texture}:{self.channel}" + (":inverted" if self.invert else "")


def parse_stops(text: str) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Positions and values of '0:0, 0.5:1, 1:0', sorted by position. Raises ValueProblem."""
    try:
        pairs = sorted(tuple(float(part) for part in stop.split(":")) for stop in text.split(",") if stop.strip())
        positions, values = np.array([p for p, _ in pairs]), np.array([v for _, v in pairs])
    except ValueError:
        pairs = []
    if len(pairs) < 2 or not np.isfinite(pairs).all() or np.min(pairs) < 0 or np.max(pairs) > 1:
        raise ValueProblem(
            f"A ramp is two or more stops 'position:value' of 0 to 1 with commas between, not '{text[:60]}'."
        )
    return positions, values


def format_stops(stops: list[tuple[float, float]]) -> str:
    """The text of stops that `parse_stops` reads."""
    return ", ".join(f"{position:.4g}:{value:.4g}" for position, value in sorted(stops))
