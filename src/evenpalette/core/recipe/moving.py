"""What of a recipe changes with time: textures that move, values that pulse."""

from collections.abc import Iterator, Mapping

from evenpalette.core.placement import Placement
from evenpalette.core.recipe.binding import read_binding
from evenpalette.core.recipe.model import Recipe
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.values import Value


def speeds(recipe: Recipe, values: Mapping[str, Value]) -> Iterator[float]:
    """How fast textures move along u and v with these values of parameters, in their lengths per second; 0 for what
    stands."""
    for step in recipe.steps:
        for map_ in KINDS[step.kind].maps if step.kind in KINDS else ():
            for row in step.rows:
                held = read_binding(step.binding(row, map_.placement.key), map_.placement, values)
                yield from Placement.parse(str(held)).drift


def is_moving(recipe: Recipe, values: Mapping[str, Value]) -> bool:
    """Whether anything changes with time."""
    pulses = any(binding.pulse is not None for step in recipe.steps for binding in step.bindings)
    return pulses or any(speeds(recipe, values))
