"""Two variants parted for eyes that see colors otherwise, by the smallest change of lightness."""

import numpy as np

from evenpalette.core.color.hexcode import hex_to_linear, linear_to_hex
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_oklch, oklch_to_linear_in_gamut
from evenpalette.core.color.vision import Vision
from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import set_value
from evenpalette.core.values import ValueType
from evenpalette.core.variants.compare import compared
from evenpalette.core.variants.perceptual_difference import TOLD_APART

#: Steps of lightness (OKLab) that are tried, the smallest first, lighter and darker in turn.
_STEPS = tuple(sign * step / 100 for step in (2, 4, 6, 8, 11, 14, 18, 23, 29, 36) for sign in (1, -1))


def part_by_lightness(
    state: State, first: str, second: str, region: str, vision: Vision
) -> tuple[str, tuple[str, str, str]] | None:
    """The smallest change of one color's lightness that parts the second variant from the first: in words, and the
    variant, the parameter and its color. None where no color of the region is a parameter, or none parts them."""
    found: tuple[float, str, str] | None = None
    name = next((v.name for v in state.project.variants if v.id == second), "")
    for parameter in _colors_of(state, region):
        now = str(state.values(second)[parameter])
        for step in _STEPS:
            if found is not None and abs(step) >= abs(found[0]):
                break
            color = lighter(now, step)
            if color == now:
                continue
            tried = set_value(state, second, parameter, color)
            (pair,) = compared(tried, vision, variants=(first, second))
            if pair.units >= TOLD_APART:
                found = step, parameter, color
                break
    if found is None:
        return None
    step, parameter, color = found
    known = state.project.recipe.parameter(parameter)
    words = f"{known.name if known else parameter} of {name} {'lighter' if step > 0 else 'darker'}: {color}"
    return words, (second, parameter, color)


def lighter(color: str, step: float) -> str:
    """A color with another OKLab lightness, by so much, of the same hue and as much chroma as there can be."""
    lch = oklab_to_oklch(linear_to_oklab(hex_to_linear(color).reshape(1, 3))).reshape(3)
    moved = np.array([min(max(float(lch[0]) + step, 0.0), 1.0), lch[1], lch[2]], np.float32)
    return linear_to_hex(oklch_to_linear_in_gamut(moved))


def _colors_of(state: State, region: str) -> list[str]:
    """The color parameters that rows of a region follow, in the order of the steps."""
    found: list[str] = []
    for step in state.project.recipe.steps:
        if not step.enabled:
            continue
        for row in step.rows:
            if region and row.regions is not None and region not in row.regions:
                continue
            for binding in (*step.inputs.values(), *row.inputs.values()):
                parameter = state.project.recipe.parameter(binding.parameter or "")
                if parameter is not None and parameter.type is ValueType.COLOR:
                    found.append(parameter.id)
    return list(dict.fromkeys(found))
