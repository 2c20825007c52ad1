"""A recipe with values put in: what both the CPU and the shaders run."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.recipe.kind import AMOUNT, Input, Prepared, StepKind
from evenpalette.core.recipe.model import Binding, ChannelRef, Recipe
from evenpalette.core.recipe.parameters import Value, ValueType
from evenpalette.core.recipe.steps import kind_of


@dataclass(frozen=True)
class BoundRow:
    """A row with its values, shared ones included. regions: indices into the region set, None is everywhere else."""

    amount: float
    values: Prepared
    regions: tuple[int, ...] | None


@dataclass(frozen=True)
class BoundStep:
    """A step with its values: `amount` is 0 for a step that is switched off. named: regions that any row names."""

    step_id: str
    name: str
    kind: StepKind
    amount: float
    rows: tuple[BoundRow, ...]
    channels: Mapping[str, ChannelRef]

    @cached_property
    def matrices(self) -> NDArray[np.float32] | None:
        """The rows' operations as `M c + t`, float32 (rows, 3, 4); None where one of them is not of that form."""
        if self.kind.affine is None:
            return None
        found = [self.kind.affine(row.values) for row in self.rows]
        known = [matrix for matrix in found if matrix is not None]
        return np.stack(known).astype(np.float32) if known and len(known) == len(found) else None

    @property
    def is_idle(self) -> bool:
        """Whether it changes nothing anywhere."""
        return self.amount == 0 or all(row.amount == 0 or row.regions == () for row in self.rows)


def read_binding(binding: Binding | None, input: Input, values: Mapping[str, Value]) -> Value:
    """The value an input gets: of its parameter, its constant, or its default; brought into the input's range."""
    value: Value | None = None
    if binding is not None:
        value = values.get(binding.parameter) if binding.parameter else binding.value
    return input.default if value is None else input.accept(value)


def prepare_value(value: Value, input: Input):  # type: ignore[no-untyped-def]
    """A stored value as kernels and uniforms take it."""
    if input.type is ValueType.COLOR:
        return hex_to_linear(str(value))
    if input.type is ValueType.CHOICE:
        return input.choices.index(str(value))
    return int(value) if input.type is ValueType.SWITCH else float(value)


def bind_recipe(recipe: Recipe, region_ids: list[str], values: Mapping[str, Value]) -> list[BoundStep]:
    """The steps in order with their values put in. Raises RecipeError for unknown kinds and values of a wrong type."""
    index = {region: place for place, region in enumerate(region_ids)}
    bound = []
    for step in recipe.steps:
        kind = kind_of(step.kind)
        rows = []
        for row in step.rows:
            prepared = {
                i.key: prepare_value(read_binding(step.binding(row, i.key), i, values), i) for i in kind.inputs
            }
            regions = None if row.regions is None else tuple(index[r] for r in row.regions if r in index)
            rows.append(BoundRow(float(read_binding(row.amount, AMOUNT, values)), prepared, regions))
        amount = float(read_binding(step.amount, AMOUNT, values)) if step.enabled else 0.0
        bound.append(BoundStep(step.id, step.name, kind, amount, tuple(rows), step.channels))
    return bound
