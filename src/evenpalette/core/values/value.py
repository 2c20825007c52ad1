"""One description of a typed value, for steps, operations on coverages and parameters; one widget edits it."""

from collections.abc import Sequence

import numpy as np

from evenpalette.core.dataclass import dataclass
from evenpalette.core.values.kind import Value, ValueKind, ValueType
from evenpalette.core.values.kinds import KINDS


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

    @property
    def kind(self) -> ValueKind:
        """What its type knows."""
        return KINDS[self.type]

    @property
    def is_number(self) -> bool:
        """Whether it is one number with a range."""
        return self.kind.is_number

    @property
    def shader_type(self) -> str:
        """Its type in GLSL, '' where shaders have none."""
        return self.kind.shader_type(self)

    def accept(self, value: object) -> Value:
        """The value in this input's type and range: numbers are clamped, colors become '#rrggbb'. Raises
        ValueProblem."""
        return self.kind.accept(value, self)

    def numbers(self, value: Value) -> Sequence[float]:
        """A value as the numbers that a shader is told: a color as linear light, a placement as its sixteen, choices
        and switches as whole numbers."""
        if self.kind.numbers is not None:
            return self.kind.numbers(value, self)
        return [float(number) for number in np.ravel(self.kind.prepared(value, self, 0.0))]

    def others(self, now: Value) -> list[Value]:
        """Values that it may take and that differ from the present one as much as any."""
        return [value for value in map(self.accept, self.kind.others(now, self)) if value != now]


def parse_value(text: str, type: ValueType, unit: str = "") -> Value:
    """A value as it is typed. Raises ValueProblem for text that is no number where one is wanted."""
    return KINDS[type].read(text.strip(), unit)


def value_text(value: Value, unit: str = "") -> str:
    """A value as it is read."""
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:g}{'' if unit == 'share' else unit}" if isinstance(value, int | float) else value
