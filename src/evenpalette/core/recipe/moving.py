"""What of a recipe changes with time: textures that move, values that pulse."""

from collections.abc import Iterable, Iterator, Mapping

from evenpalette.core.placement import Placement
from evenpalette.core.recipe.binding import read_binding
from evenpalette.core.recipe.recipe import Recipe
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.values import Value, ValueType


def speeds(recipe: Recipe, values: Mapping[str, Value]) -> Iterator[float]:
    """How fast textures move along u and v with these values of parameters, in their lengths per second; 0 for what
    stands."""
    for step in recipe.steps:
        for map_ in KINDS[step.kind].maps if step.kind in KINDS else ():
            for row in step.rows:
                held = read_binding(step.binding(row, map_.placement.key), map_.placement, values)
                yield from Placement.parse(str(held)).drift


def moving_steps(recipe: Recipe) -> list[tuple[str, float]]:
    """What changes with time with the defaults: names of steps with the seconds after which each comes back, 0 for what
    drifts on; in the order of the recipe."""
    values = {p.id: p.default for p in recipe.parameters}
    found = []
    for step in recipe.steps:
        if not step.enabled:
            continue
        periods = [b.pulse.period for b in step.bindings if b.pulse is not None]
        alone = recipe.model_copy(update={"steps": (step,)})
        if periods:
            found.append((step.name, max(periods)))
        elif any(speeds(alone, values)):
            found.append((step.name, 0.0))
    return found


def is_moving(recipe: Recipe, variants: Iterable[Mapping[str, Value]] = ()) -> bool:
    """Whether anything changes with time, with the defaults or with what variants say themselves."""
    bindings = [binding for step in recipe.steps for binding in step.bindings]
    if any(binding.pulse is not None for binding in bindings):
        return True
    laid = {p.id: p.default for p in recipe.parameters if p.type is ValueType.PLACEMENT}
    said = {str(value) for values in (laid, *variants) for key, value in values.items() if key in laid}
    for step in recipe.steps:
        for map_ in KINDS[step.kind].maps if step.kind in KINDS else ():
            key = map_.placement.key
            held = (inputs.get(key) for inputs in (step.inputs, *(row.inputs for row in step.rows)))
            said |= {str(b.value) for b in held if b is not None and b.is_plain and b.value}
    return any(any(Placement.parse(text).drift) for text in said)
