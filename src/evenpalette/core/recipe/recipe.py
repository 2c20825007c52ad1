"""What the document stores about the recipe."""

from collections.abc import Iterator
from typing import Literal

from pydantic import Field

from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.stored import Stored
from evenpalette.core.values import Value

#: The recipe starts from the neutral tone.
TONE = "tone"


class Pick(Stored):
    """A value for each placed copy, stable and evenly spread: one of `values`, or, without any, a number from low to
    high.

    seed: picks of different seeds are independent of each other; of one seed they go together. pin: a whole-number
    parameter that stands in the place of the copy's number where it is 0 or more.
    """

    values: tuple[Value, ...] = Field((), max_length=64)
    low: float = Field(0.0, ge=-1e9, le=1e9)
    high: float = Field(1.0, ge=-1e9, le=1e9)
    seed: int = Field(0, ge=0, lt=1 << 31)
    pin: str | None = Field(None, max_length=80)


class Pulse(Stored):
    """A number or a color that changes with the seconds and comes back after a period.

    low, high: between which, for numbers; colors: between which, for colors. shape: a sine from low to high and back,
    equal steps up, or a curve of straight pieces (`curve`, its places 0..1 of the period, its values 0..1 of the way).
    period: seconds. phase: which part of the period it begins with, 0..1. steps: how many, 2 up.
    """

    shape: Literal["sine", "steps", "curve"] = "sine"
    low: float = Field(0.0, ge=-1e9, le=1e9)
    high: float = Field(1.0, ge=-1e9, le=1e9)
    colors: tuple[str, str] | None = None
    period: float = Field(2.0, ge=0.05, le=3600)
    phase: float = Field(0.0, ge=0, le=1)
    steps: int = Field(2, ge=2, le=16)
    curve: str = Field("0:0, 0.5:1, 1:0", max_length=400)


class Binding(Stored):
    """Where a step input takes its value: a parameter's id, a constant, a pick by copy, or a pulse over time. part:
    which of a vector's numbers, from 0."""

    parameter: str | None = None
    part: int | None = Field(None, ge=0, le=3)
    value: Value | None = None
    pick: Pick | None = None
    pulse: Pulse | None = None

    @property
    def follows(self) -> str | None:
        """The parameter that it depends on."""
        return self.parameter or (self.pick.pin if self.pick is not None else None)

    @property
    def is_plain(self) -> bool:
        """Whether it is the same at all times and for all copies, in every variant."""
        return self.parameter is None and self.pick is None and self.pulse is None


class Row(Stored):
    """The values that a step has for one set of regions.

    regions: ids of regions of one division; None is everywhere else: what no other row of the step has.
    inputs: the row's own values; those that are not here are shared by all rows of the step.
    """

    id: str
    regions: tuple[str, ...] | None = None
    amount: Binding = Binding(value=1.0)
    inputs: dict[str, Binding] = {}


class Link(Stored):
    """That a step follows one of a file that several projects share.

    path: of the file. key: the step's id there. rows: the row there of each row here. base: the step as it was taken
    last, before anything was changed here, as JSON: what differs from it is this project's own. seen: a hash of the
    step in the file as it was taken last.
    """

    path: str = Field(min_length=1, max_length=1000)
    key: str = Field(max_length=80)
    rows: dict[str, str] = {}
    base: str = Field(max_length=1 << 18)
    seen: str = Field(max_length=64)


class Step(Stored):
    """One operation of the ordered recipe. All rows act on what was there before the step:

    `out = in + w_1 (op_1(in) - in) + ... + w_n (op_n(in) - in)`, w = coverage of the row's regions * row amount * step
    amount, the sum of w never above 1 (divided by max(1, sum)), in linear light.
    inputs: values that all rows share, by input key; which textures it reads and how they are laid are values too.
    """

    id: str
    kind: str
    name: str = Field(min_length=1, max_length=80)
    enabled: bool = True
    amount: Binding = Binding(value=1.0)
    inputs: dict[str, Binding] = {}
    rows: tuple[Row, ...] = ()
    link: Link | None = None

    def row(self, row_id: str | None) -> Row | None:
        """The row with this id."""
        return next((row for row in self.rows if row.id == row_id), None)

    def row_with(self, region_id: str | None) -> Row | None:
        """The first row that has this region; else the one that is everywhere else."""
        named = next((row for row in self.rows if row.regions is not None and region_id in row.regions), None)
        return named or next((row for row in self.rows if row.regions is None), None)

    def binding(self, row: Row | None, key: str) -> Binding | None:
        """Where an input takes its value in a row: the row's own, else the shared one."""
        return (row.inputs.get(key) if row is not None else None) or self.inputs.get(key)

    @property
    def bindings(self) -> Iterator[Binding]:
        """All bindings of the step, of its rows and their amounts."""
        yield self.amount
        yield from self.inputs.values()
        for row in self.rows:
            yield row.amount
            yield from row.inputs.values()

    def bindings_of(self, row: Row) -> Iterator[Binding]:
        """All bindings that decide what a row does: its own, and those that it shares."""
        yield row.amount
        yield from {**self.inputs, **row.inputs}.values()

    def named_regions(self) -> tuple[str, ...]:
        """The regions that its rows name, each once."""
        return tuple(dict.fromkeys(region for row in self.rows for region in row.regions or ()))


class Recipe(Stored):
    """The ordered recoloring of a sheet, with the parameters of the project. base: 'tone', or a color texture's id."""

    base: str = TONE
    parameters: tuple[Parameter, ...] = ()
    steps: tuple[Step, ...] = ()

    def parameter(self, parameter_id: str) -> Parameter | None:
        """The parameter with this id."""
        return next((p for p in self.parameters if p.id == parameter_id), None)

    def step(self, step_id: str) -> Step | None:
        """The step with this id."""
        return next((s for s in self.steps if s.id == step_id), None)

    def users(self, parameter_id: str) -> list[Step]:
        """The steps that read this parameter."""
        return [s for s in self.steps if any(b.follows == parameter_id for b in s.bindings)]
