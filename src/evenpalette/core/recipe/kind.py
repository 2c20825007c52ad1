"""What every kind of step says about itself."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.recipe.parameters import Value, ValueType, accept_value

Plane = NDArray[np.float32]
#: What kernels and uniforms receive: numbers as float, switches and choices as int, colors as linear (3,) float32.
Prepared = Mapping[str, Any]


@dataclass(frozen=True)
class Input:
    """A value that a step reads, from a parameter or a constant."""

    key: str
    label: str
    type: ValueType
    default: Value
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    choices: tuple[str, ...] = ()
    description: str = ""

    def accept(self, value: Value) -> Value:
        """The value in this input's type and range. Raises RecipeError."""
        return accept_value(value, self.type, self.low, self.high, self.choices, self.label)


@dataclass(frozen=True)
class ChannelInput:
    """A texture channel that a step reads; `neutral` is its value where no texture is given."""

    key: str
    label: str
    neutral: float
    description: str = ""


#: Works in place on linear planes r, g, b of one tile; weight is the row's per texel; amount scales it.
Kernel = Callable[[Plane, Plane, Plane, Plane, float, Prepared, Mapping[str, Plane]], None]


@dataclass(frozen=True)
class StepKind:
    """A kind of step: its words, its inputs, its CPU kernel and its GLSL.

    glsl defines `vec3 ep_<key>(vec3 c, <inputs in order>, <channels in order as float>)`, which returns op(c).
    formula and source are printed in the documentation and in the kit.
    """

    key: str
    label: str
    summary: str
    inputs: tuple[Input, ...]
    kernel: Kernel
    glsl: str
    formula: str
    source: str
    channels: tuple[ChannelInput, ...] = ()
    order: int = 100
    #: For values with which the operation is `M c + t`: the matrix (3, 4), else None; rows are then run in one pass.
    affine: Callable[[Prepared], NDArray[np.float32] | None] | None = None

    def input(self, key: str) -> Input:
        """The input with this key."""
        return next(i for i in self.inputs if i.key == key)

    @property
    def row_inputs(self) -> tuple[str, ...]:
        """The inputs of which each row has its own unless the artist shares them: the first, which names the look."""
        return tuple(i.key for i in self.inputs[:1])


#: Every step has it; it is not an input of the operation itself.
AMOUNT = Input("amount", "Amount", ValueType.NUMBER, 1.0, description="How much of the step is mixed in")
