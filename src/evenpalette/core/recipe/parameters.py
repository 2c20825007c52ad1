"""Parameters: named, typed, ranged values that steps refer to."""

from collections.abc import Sequence

from pydantic import Field, model_validator

from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import safe_name
from evenpalette.core.stored import Stored
from evenpalette.core.values import KINDS, Input, Value, ValueType


class Parameter(Stored):
    """One parameter of the recipe. Several step inputs may be bound to it.

    choices: of a choice its words, of a texture the ids of those to choose among, of a vector the names of its numbers.
    """

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
        if not KINDS[self.type].is_parameter:
            raise ValueError(f"'{self.name}': a {self.type.value} cannot be a parameter")
        if self.is_ranged and not self.low < self.high:
            raise ValueError(f"'{self.name}': the range {self.low} to {self.high} is empty")
        if problem := KINDS[self.type].choices_problem(self.choices):
            raise ValueError(f"'{self.name}' {problem}")
        try:
            object.__setattr__(self, "default", self.accept(self.default))
        except EvenPaletteError as error:
            raise ValueError(str(error)) from error
        return self

    @property
    def is_number(self) -> bool:
        """Whether it is one number with a range."""
        return KINDS[self.type].is_number

    @property
    def is_ranged(self) -> bool:
        """Whether it is a number, or several, with a range."""
        return KINDS[self.type].has_range

    @property
    def input(self) -> Input:
        """What it takes, as everything else that takes a value says it."""
        return Input(
            self.id, self.name, self.type, self.default, self.low, self.high, self.unit, self.choices, self.description
        )

    def accept(self, value: Value) -> Value:
        """The value in this parameter's type and range. Raises ValueProblem when it cannot be."""
        return self.input.accept(value)


def parameter_uniform_names(parameters: Sequence[Parameter]) -> dict[str, str]:
    """A GLSL name for each parameter id, readable and unique."""
    names: dict[str, str] = {}
    for parameter in parameters:
        # GLSL keeps names with two underscores in a row for itself.
        base = "p_" + safe_name(parameter.name, "value").replace("-", "_")
        name, count = base, 2
        while name in names.values():
            name, count = f"{base}_{count}", count + 1
        names[parameter.id] = name
    return names
