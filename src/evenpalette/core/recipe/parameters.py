"""Parameters: named, typed, ranged values that steps refer to."""

import math
from enum import StrEnum

from pydantic import Field, model_validator

from evenpalette.core.color.hexcode import normalize_hex
from evenpalette.core.errors import RecipeError
from evenpalette.core.stored import Stored

#: A parameter's value as the document stores it: hex text, number, choice text or switch.
Value = bool | float | str


class ValueType(StrEnum):
    """What a value is."""

    COLOR = "color"
    NUMBER = "number"
    CHOICE = "choice"
    SWITCH = "switch"


class Parameter(Stored):
    """One parameter of the recipe. Several step inputs may be bound to it."""

    id: str
    name: str = Field(min_length=1, max_length=80)
    type: ValueType
    default: Value
    low: float = Field(0.0, ge=-1e9, le=1e9)
    high: float = Field(1.0, ge=-1e9, le=1e9)
    unit: str = ""
    choices: tuple[str, ...] = ()
    group: str = ""
    description: str = ""

    @model_validator(mode="after")
    def _default_fits(self) -> "Parameter":
        if self.type is ValueType.NUMBER and not self.low < self.high:
            raise ValueError(f"'{self.name}': the range {self.low} to {self.high} is empty")
        if self.type is ValueType.CHOICE and not self.choices:
            raise ValueError(f"'{self.name}' has no choices")
        try:
            object.__setattr__(self, "default", self.accept(self.default))
        except RecipeError as error:
            raise ValueError(str(error)) from error
        return self

    def accept(self, value: Value) -> Value:
        """The value in this parameter's type and range. Raises RecipeError when it cannot be."""
        return accept_value(value, self.type, self.low, self.high, self.choices, self.name)


def accept_value(value: Value, type: ValueType, low: float, high: float, choices: tuple[str, ...], name: str) -> Value:
    """The value in this type: numbers are clamped to the range, colors become '#rrggbb'. Raises RecipeError."""
    if type is ValueType.COLOR and isinstance(value, str):
        return normalize_hex(value)
    if type is ValueType.NUMBER and isinstance(value, int | float) and not isinstance(value, bool):
        if not math.isfinite(value):
            raise RecipeError(f"'{name}' needs a number, not {value}.")
        return float(min(max(value, low), high))
    if type is ValueType.CHOICE and isinstance(value, str) and value in choices:
        return value
    if type is ValueType.SWITCH and isinstance(value, bool):
        return value
    raise RecipeError(f"'{name}' takes a {type.value}, not {value!r}.")
