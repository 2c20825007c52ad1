"""A recipe with values put in: what both the CPU and the shaders run."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.placement import Placement
from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.recipe.kind import AMOUNT, SIDE, MapInput, Op, Prepared, StepKind
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.pick import picked, pinned
from evenpalette.core.recipe.pulse import pulsed, shown_value
from evenpalette.core.recipe.recipe import Binding, Recipe, Row, Step
from evenpalette.core.recipe.steps import KINDS, kind_of
from evenpalette.core.values import ChannelRef, Input, Value, ValueType, vector_parts

T = TypeVar("T")


@dataclass(frozen=True)
class Moment:
    """The copy and the seconds for which a recipe is evaluated: picks and drifts are values, put in before a texel is
    touched. back: whether faces are seen from behind."""

    copy: int = 0
    seconds: float = 0.0
    back: bool = False


@dataclass(frozen=True)
class MapRead:
    """One texture read of a row: which texture, which channel (None is all four), how it is laid."""

    texture: str
    channel: int | None
    invert: bool
    placement: Placement


@dataclass(frozen=True)
class BoundRow:
    """A row with its values, shared ones included. regions: indices into the region set, None is everywhere else.

    maps: what it reads, by map key; maps without a texture are not there.
    """

    amount: float
    values: Prepared
    regions: tuple[int, ...] | None
    maps: Mapping[str, MapRead]

    def is_same(self, other: "BoundRow") -> bool:
        """Whether it has just the values that another has."""
        if self is other:
            return True
        alike = (self.amount, self.regions, self.maps) == (
            other.amount,
            other.regions,
            other.maps,
        ) and self.values.keys() == other.values.keys()
        return alike and all(np.array_equal(value, other.values[key]) for key, value in self.values.items())


@dataclass(frozen=True)
class BoundStep:
    """A step with its values: `amount` is 0 for a step that is switched off."""

    step_id: str
    name: str
    kind: StepKind
    amount: float
    rows: tuple[BoundRow, ...]

    @cached_property
    def matrices(self) -> NDArray[np.float32] | None:
        """The rows' operations on base color as `M c + t`, float32 (rows, 3, 4); None where one is not of that form."""
        op = next((op for op in self.kind.ops if op.affine is not None), None)
        if op is None or op.affine is None:
            return None
        found = [op.affine(row.values) for row in self.rows]
        known = [matrix for matrix in found if matrix is not None]
        return np.stack(known).astype(np.float32) if known and len(known) == len(found) else None

    def is_same(self, other: "BoundStep") -> bool:
        """Whether it does just what another does."""
        if self is other:
            return True
        alike = self.kind is other.kind and self.amount == other.amount and len(self.rows) == len(other.rows)
        return alike and all(a.is_same(b) for a, b in zip(self.rows, other.rows, strict=True))

    @property
    def is_idle(self) -> bool:
        """Whether it changes nothing anywhere."""
        return self.amount == 0 or all(row.amount == 0 or row.regions == () for row in self.rows)

    def is_active(self, op: Op) -> bool:
        """Whether an operation changes anything with these values."""
        if self.is_idle or (op.scale and not any(row.values[op.scale] for row in self.rows)):
            return False
        maps = {m.key for m in self.kind.maps}
        given = any(key in row.maps or (key not in maps and row.values[key]) for row in self.rows for key in op.needs)
        return given or not op.needs

    def fills(self, op: Op) -> bool:
        """Whether an operation leaves nothing of what was there, anywhere."""
        if not op.replaces or self.kind.weigh is not None or self.amount != 1:
            return False
        everywhere = any(row.regions is None for row in self.rows)
        return everywhere and all(
            row.amount == 1
            and (not op.scale or row.values[op.scale] == 1)
            and (op.replaces is True or (callable(op.replaces) and op.replaces(row.values)))
            for row in self.rows
        )


@dataclass(frozen=True)
class Change:
    """In what two bindings of one recipe may differ. regions: by their places, None for anywhere. writes:
    attributes."""

    regions: frozenset[int] | None
    writes: frozenset[str]


ANYTHING = Change(None, frozenset(ATTRIBUTES))
NOTHING = Change(frozenset(), frozenset())


def change_of(before: Sequence[BoundStep], after: Sequence[BoundStep]) -> Change:
    """What differs between two bindings of one recipe; of another recipe anything may."""
    if len(before) != len(after):
        return ANYTHING
    regions: set[int] | None = set()
    writes: set[str] = set()
    for old, new in zip(before, after, strict=True):
        if old.kind is not new.kind or len(old.rows) != len(new.rows):
            return ANYTHING
        # What is made of attributes that differ may differ as well.
        writes.update(op.writes for op in new.kind.ops if writes.intersection(op.reads))
        if old is new:
            continue
        for one, other in zip(old.rows, new.rows, strict=True):
            if old.amount == new.amount and one.is_same(other):
                continue
            writes.update(op.writes for op in new.kind.ops)
            if regions is None or one.regions is None or one.regions != other.regions:
                regions = None
            else:
                regions.update(one.regions)
    return Change(frozenset(regions) if regions is not None else None, frozenset(writes))


def read_binding(
    binding: Binding | None, input: Input, values: Mapping[str, Value], copy: int = 0, seconds: float = 0.0
) -> Value:
    """The value an input gets: of its parameter, its pick, its pulse, its constant, or its default; brought into its
    range."""
    if binding is not None and binding.pulse is not None:
        return shown_value(binding.pulse, input, seconds)
    if binding is not None and binding.pick is not None:
        return picked(binding.pick, input, pinned(binding.pick, values, copy))
    value: Value | None = None
    if binding is not None:
        value = values.get(binding.parameter) if binding.parameter else binding.value
        if binding.parameter and binding.part is not None and value is not None:
            value = vector_parts(str(value))[binding.part]
    return input.default if value is None else input.accept(value)


def prepare_value(value: Value, input: Input, seconds: float = 0.0):  # type: ignore[no-untyped-def]
    """A stored value as kernels and uniforms take it."""
    return input.kind.prepared(value, input, seconds)


def map_read(map_: MapInput, chosen: str, placement: Placement) -> MapRead | None:
    """The read of a map whose texture or channel is named so; None for ''."""
    if map_.whole:
        return MapRead(chosen, None, False, placement) if chosen else None
    ref = ChannelRef.parse(chosen)
    return None if ref is None else MapRead(ref.texture, ref.channel, ref.invert, placement)


def textures_of(step: Step, parameters: Iterable[Parameter], *, straight: bool = False) -> Iterator[str]:
    """The ids of the textures that a step's bindings name, row by row, and those that they may choose among; none for a
    kind that is not known. straight: only those whose alpha says how much of their color is laid."""
    choices = {p.id: p.choices for p in parameters if p.type is ValueType.TEXTURE}
    kind = KINDS.get(step.kind)
    if kind is None:
        return
    for inputs in (step.inputs, *(row.inputs for row in step.rows)):
        for map_ in kind.maps:
            binding = inputs.get(map_.key)
            if straight and not map_.straight:
                continue
            if binding is not None and binding.parameter:
                yield from choices.get(binding.parameter, ())
            elif binding is not None and binding.value:
                read = map_read(map_, str(binding.value), Placement())
                if read is not None:
                    yield read.texture


#: The first copy at the start.
NOW = Moment()


def _prepared(binding: Binding | None, input: Input, values: Mapping[str, Value], at: Moment):  # type: ignore[no-untyped-def]
    """The value of an input as kernels take it. A pulse is not rounded to what the document could write."""
    if binding is not None and binding.pulse is not None:
        return pulsed(binding.pulse, input, at.seconds)
    return prepare_value(read_binding(binding, input, values, at.copy), input, at.seconds)


def _bind_row(step: Step, row: Row, index: Mapping[str, int], values: Mapping[str, Value], at: Moment) -> BoundRow:
    kind = kind_of(step.kind)
    prepared: dict[str, Any] = {i.key: _prepared(step.binding(row, i.key), i, values, at) for i in kind.all_inputs}
    reads = {m.key: map_read(m, prepared[m.key], prepared[m.placement.key]) for m in kind.maps}
    prepared[SIDE] = float(at.back)
    maps = {key: read for key, read in reads.items() if read is not None}
    regions = None if row.regions is None else tuple(index[r] for r in row.regions if r in index)
    return BoundRow(float(_prepared(row.amount, AMOUNT, values, at)), prepared, regions, maps)


def _followed(bindings: Iterable[Binding]) -> tuple[str, ...]:
    """The parameters that bindings follow, each once."""
    return tuple(dict.fromkeys(b.follows for b in bindings if b.follows))


#: Bound steps and rows that a `Binder` keeps, and binders that are kept for those who ask again.
_MOST_HELD, _MOST_BINDERS = 1024, 8


class Binder:
    """Puts one set of values after another into steps: a step, and a row of it, is bound again only where what it
    follows has changed, and is else the one that it was."""

    def __init__(self, steps: Sequence[Step], region_ids: Sequence[str]) -> None:
        self.steps, self.region_ids = steps, list(region_ids)
        self._index = {region: place for place, region in enumerate(region_ids)}
        self._of_steps = [_followed(step.bindings) for step in steps]
        self._of_rows = [[_followed(step.bindings_of(row)) for row in step.rows] for step in steps]
        self._steps: dict[tuple, BoundStep] = {}
        self._rows: dict[tuple, BoundRow] = {}

    def __call__(self, values: Mapping[str, Value], at: Moment = NOW) -> list[BoundStep]:
        """The steps in order with these values. Raises EvenPaletteError for values of a wrong type."""
        found = []
        for place, followed in enumerate(self._of_steps):
            key = (place, at, *map(values.get, followed))
            bound = self._steps.get(key)
            if bound is None:
                bound = _kept(self._steps, key, self._step(place, values, at))
            found.append(bound)
        return found

    def _step(self, place: int, values: Mapping[str, Value], at: Moment) -> BoundStep:
        step, rows = self.steps[place], []
        for number, (row, followed) in enumerate(zip(step.rows, self._of_rows[place], strict=True)):
            key = (place, number, at, *map(values.get, followed))
            bound = self._rows.get(key)
            if bound is None:
                bound = _kept(self._rows, key, _bind_row(step, row, self._index, values, at))
            rows.append(bound)
        amount = float(_prepared(step.amount, AMOUNT, values, at)) if step.enabled else 0.0
        return BoundStep(step.id, step.name, kind_of(step.kind), amount, tuple(rows))


def _kept(held: dict[tuple, T], key: tuple, made: T) -> T:
    """What was made, remembered; of too much all is forgotten."""
    if len(held) >= _MOST_HELD:
        held.clear()
    held[key] = made
    return made


#: Of the steps that were asked for last.
_binders: list[Binder] = []


def binder_of(steps: Sequence[Step], region_ids: Sequence[str]) -> Binder:
    """The binder of these steps, the same one while they are the same."""
    for known in _binders:
        if known.steps is steps and known.region_ids == region_ids:
            return known
    made = Binder(steps, region_ids)
    _binders[:] = [made, *_binders[: _MOST_BINDERS - 1]]
    return made


def bind_recipe(
    recipe: Recipe, region_ids: list[str], values: Mapping[str, Value], at: Moment = NOW
) -> list[BoundStep]:
    """The steps in order with their values put in. Raises EvenPaletteError for values of a wrong type."""
    return binder_of(recipe.steps, region_ids)(values, at)
