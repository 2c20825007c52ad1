"""What every kind of step says about itself."""

from collections.abc import Callable, Mapping
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.recipe.blocks import Prepared, RowsBlock
from evenpalette.core.values import Input, Value, ValueType

Plane = NDArray[np.float32]
#: The planes of one attribute, or of one texture read.
Planes = tuple[Plane, ...]
#: What an operation may take besides inputs and maps: the texel's place, two planes of 0..1 (vec2 in shaders), and the
#: side of the face that is seen, a value of 0 for the front and 1 for the back (`ep_side`).
UV, SIDE = "uv", "side"
#: Works in place on the planes of the attribute that it writes: planes, weight of each texel, amount, values, reads.
#: reads: by map key its planes, by attribute key the planes of what was there before the step.
Kernel = Callable[[Planes, Plane, float, Prepared, Mapping[str, Planes]], None]


@dataclass(frozen=True)
class MapInput:
    """A texture that a step reads: one channel as data, or all of it.

    whole: four planes, red, green, blue in linear light for color (stored values for data) and alpha; else one plane.
    neutral: what is read where no texture is given, one number for each plane. roles: names of the texture roles that
    fit, the best first. needed: without a texture the step does nothing, which is worth a finding. looks_up: the key of
    another map, whose texture is a strip: what is read are positions in it, each is looked up, and only then are colors
    filtered, so that four planes come out. by: inputs that say the row, another row, and the part of that one. cells:
    whether it reads tiles of a grid, one or by chance, by the inputs CELLS; the grid then takes the placement's place.
    straight: its alpha says how much of its color is laid, so that the color under a clear texel means nothing.
    """

    key: str
    label: str
    neutral: tuple[float, ...]
    description: str = ""
    whole: bool = False
    roles: tuple[str, ...] = ()
    needed: bool = True
    looks_up: str = ""
    by: tuple[str, str, str] = ("row", "to", "blend")
    cells: bool = False
    straight: bool = False

    @property
    def planes(self) -> int:
        """How many planes are read."""
        return 4 if self.whole or self.looks_up else 1

    @property
    def input(self) -> Input:
        """The value that says which texture or channel it is."""
        return Input(
            self.key,
            self.label,
            ValueType.TEXTURE if self.whole else ValueType.CHANNEL,
            "",
            description=self.description,
        )

    @property
    def placement(self) -> Input:
        """The value that says how it is laid."""
        return Input(self.key + PLACED, "Laid", ValueType.PLACEMENT, "", description="How the texture is laid")


#: The inputs that say which tiles of a grid a map reads: `Cells` in their order, tiles counted from 1.
CELLS = ("columns", "rows", "tile", "count", "seed", "soften")
#: Behind a map's key: the key of its placement.
PLACED = "_placed"


@dataclass(frozen=True)
class Weigh:
    """A step's own mask: a weight of 0 to 1 for each texel, which every operation of the step is mixed in by.

    kernel: (values, reads) -> weight, float32 (texels,); a `Mask` where it works in blocks. glsl: body of `float
    ep_<kind>_weigh(<takes>)`. takes: keys of the inputs and maps it reads, in the order of the function's arguments.
    """

    kernel: Callable[[Prepared, Mapping[str, Planes]], Plane]
    glsl: str
    takes: tuple[str, ...]


@dataclass(frozen=True)
class Op:
    """What a step does to one attribute.

    writes: the attribute. kernel: a row's operation, a `Block` where it works in blocks; None where `affine` or
    `together` do it for all rows. glsl: a function `T ep_<kind>_<writes>(T c, <takes>, <reads>)` that returns op(c);
    helper functions may stand before it. takes: keys of the inputs and maps that it needs, in the order of the
    arguments. reads: other attributes that it needs as they were before the step. replaces: whether op(c) is the same
    for every c with these values. scale: an input whose number or switch is multiplied into the weight; 0 leaves the
    attribute alone. needs: maps and inputs; where in all rows none of the maps has a texture and all of the inputs are
    0 it does nothing. affine: for values with which a base color operation is `M c + t`: the matrix (3, 4), else None;
    rows are then run in one pass. together: runs all rows in one pass where it can. shared: functions of
    `recipe/shared.py` that its GLSL calls.
    """

    writes: str
    kernel: Kernel | None
    glsl: str
    takes: tuple[str, ...] = ()
    reads: tuple[str, ...] = ()
    replaces: Callable[[Prepared], bool] | bool = False
    scale: str = ""
    needs: tuple[str, ...] = ()
    affine: Callable[[Prepared], NDArray[np.float32] | None] | None = None
    together: RowsBlock | None = None
    shared: tuple[str, ...] = ()


@dataclass(frozen=True)
class StartingPoint:
    """A named set of values to begin a row with."""

    name: str
    values: Mapping[str, Value]


@dataclass(frozen=True)
class StepKind:
    """A kind of step: its words, its inputs, its textures and its operations.

    formula and source are printed in the documentation and in the kit. order: of the work; steps of a kind that lies
    `over_paint` go behind all steps of kinds before them, on the whole surface. own: inputs of which each row has its
    own unless the artist shares them, by default the first, which names the look. helpers: GLSL functions that its
    operations share. examples: sets of values away from the neutral ones, each of which runs other code; warm-up and
    tests run them all. words: what people say when they look for it, beside its own words: common practice, no source.
    tint: the input whose color a gray is fitted to and multiplied by. keeps_mean: it promises that the mean color of
    what it covers stays.
    """

    key: str
    label: str
    summary: str
    inputs: tuple[Input, ...]
    ops: tuple[Op, ...]
    formula: str
    source: str
    examples: tuple[Mapping[str, Value], ...]
    maps: tuple[MapInput, ...] = ()
    weigh: Weigh | None = None
    order: int = 100
    over_paint: bool = False
    own: tuple[str, ...] = ()
    starting_points: tuple[StartingPoint, ...] = ()
    helpers: str = ""
    words: str = ""
    tint: str = ""
    keeps_mean: bool = False

    def __post_init__(self) -> None:
        known = {*(i.key for i in self.inputs), *(m.key for m in self.maps), UV, SIDE}
        for op in self.ops:
            assert op.writes in ATTRIBUTES, f"{self.key}: {op.writes} is no attribute"
            assert known.issuperset(op.takes), f"{self.key}: {op.takes} are not among its inputs"

    @cached_property
    def all_inputs(self) -> tuple[Input, ...]:
        """Every value that can be bound: the inputs, then each map's texture and placement."""
        return (*self.inputs, *(made for m in self.maps for made in (m.input, m.placement)))

    @cached_property
    def by_key(self) -> dict[str, Input]:
        """`all_inputs` by key."""
        return {i.key: i for i in self.all_inputs}

    def input(self, key: str) -> Input:
        """The input with this key, those of maps included."""
        return self.by_key[key]

    def map(self, key: str) -> MapInput:
        """The map with this key."""
        return next(m for m in self.maps if m.key == key)

    @property
    def row_inputs(self) -> tuple[str, ...]:
        """The inputs of which each row has its own unless the artist shares them."""
        return self.own or tuple(i.key for i in self.inputs[:1])

    @property
    def writes(self) -> tuple[str, ...]:
        """The attributes that it can change."""
        return tuple(dict.fromkeys(op.writes for op in self.ops))


#: Every step and row has it; it is not an input of the operation itself.
AMOUNT = Input("amount", "Amount", ValueType.NUMBER, 1.0, description="How much of the step is mixed in")
