"""What a kit says of its parameters, attributes and time, so that nobody has to read the recipe for it."""

import math
from fractions import Fraction

from evenpalette.core.delivery.kit_model import KitTime
from evenpalette.core.document.state import State
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR
from evenpalette.core.recipe.moving import speeds
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.shader import made_attributes
from evenpalette.core.recipe.steps import KINDS

#: Seconds whose steps in float32 are a 64th: a frame.
_FRAMES = float(1 << 17)
#: Lengths of a texture that it may have moved by while float32 still tells a quarter of a texel of a thousand.
_LENGTHS = 4096.0


def useful_range(state: State, parameter: Parameter) -> tuple[float, float] | None:
    """In which a ranged parameter changes anything: that of its own, and no row beyond those of the strips that it
    chooses in."""
    if not parameter.is_ranged:
        return None
    most = [
        state.textures[strip].height - 1.0
        for step in state.project.recipe.steps if step.kind in KINDS
        for row in step.rows for map_ in KINDS[step.kind].maps if map_.looks_up
        for key in map_.by[:2] if (held := step.binding(row, key)) is not None and held.parameter == parameter.id
        for strip in [str(getattr(step.binding(row, map_.looks_up), "value", "") or "")] if strip in state.textures
    ]  # fmt: skip
    high = min(parameter.high, max(most)) if most else parameter.high
    return (parameter.low, max(high, parameter.low))


def constant_of(state: State, attribute: str) -> list[float] | None:
    """The value that an attribute has at every texel, where no step and no texture gives it another; None where one
    does."""
    start = state.starts.get(attribute)
    written = made_attributes(state.project.recipe, ())
    if attribute == BASE_COLOR or attribute in written or (start is not None and start.texture):
        return None
    return [float(v) for v in (start.factor if start is not None else ATTRIBUTES[attribute].neutral)]


def time_of(state: State) -> KitTime | None:
    """How seconds may be counted; None where nothing moves."""
    found = [
        abs(speed)
        for variant in (None, *(v.id for v in state.project.variants))
        for speed in speeds(state.project.recipe, state.values(variant))
        if speed
    ]
    periods = [b.pulse.period for step in state.project.recipe.steps for b in step.bindings if b.pulse is not None]
    if not found and not periods:
        return None
    largest = min([_FRAMES, *(_LENGTHS / speed for speed in found)])
    # A mirrored texture comes back after two lengths.
    again = _common(
        [
            *(Fraction(2 / speed).limit_denominator(1000) for speed in found),
            *(Fraction(p).limit_denominator(1000) for p in periods),
        ]
    )
    return KitTime(
        largest=round(largest, 3), repeats_after=float(again) if again is not None and again <= largest else None
    )


def _common(parts: list[Fraction]) -> Fraction | None:
    """The shortest time that is a whole multiple of all."""
    found: Fraction | None = None
    for part in parts:
        if part <= 0:
            return None
        found = (
            part
            if found is None
            else Fraction(
                math.lcm(found.numerator * part.denominator, part.numerator * found.denominator),
                found.denominator * part.denominator,
            )
        )
    return found
