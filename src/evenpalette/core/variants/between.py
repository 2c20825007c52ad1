"""Values between those of two variants: colors on a straight line in OKLab, numbers plainly, what has no between by the
half; as the table of a kit mixes them (`evenpalette_surface_between`)."""

from collections.abc import Mapping, Sequence
from itertools import product

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import DECODE_8BIT
from evenpalette.core.color.hexcode import format_hex, hex_to_linear, linear_to_hex, parse_hex
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_linear
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import Value, ValueType

#: Codes that a color between may lie beside the nearest one, so that steps are equal.
_NEAR = (-2, -1, 0, 1, 2)
_MOST_PATHS = 48
#: So far from the straight line in OKLab may a color lie for its steps to be equal, or as far as the nearest code.
_BESIDE = 0.02


def between(
    parameters: Sequence[Parameter], one: Mapping[str, Value], other: Mapping[str, Value], t: float
) -> dict[str, Value]:
    """The value of every parameter, by id, at t of 0 to 1 from one to the other."""
    return {p.id: _mixed(p, one[p.id], other[p.id], t) for p in parameters}


def _mixed(parameter: Parameter, a: Value, b: Value, t: float) -> Value:
    return a if a == b else parameter.input.kind.mixed(a, b, t)


def steps_between(
    parameters: Sequence[Parameter], one: Mapping[str, Value], other: Mapping[str, Value], count: int
) -> list[dict[str, Value]]:
    """`count` sets of values at equal steps between two; colors in steps of equal distance in OKLab, as near as 8-bit
    codes allow."""
    made = [between(parameters, one, other, (k + 1) / (count + 1)) for k in range(count)]
    for parameter in parameters:
        if parameter.type is ValueType.COLOR and one[parameter.id] != other[parameter.id]:
            colors = _equal_steps(str(one[parameter.id]), str(other[parameter.id]), count)
            for values, color in zip(made, colors, strict=True):
                values[parameter.id] = color
    return made


def _equal_steps(first: str, last: str, count: int) -> list[str]:
    """Colors from first to last in equal steps: of the codes around each ideal one those whose distances to each other
    are most alike."""
    begin, end = (linear_to_oklab(hex_to_linear(color)).astype(np.float64) for color in (first, last))
    step = float(np.linalg.norm(end - begin)) / (count + 1)
    shifts = np.array(list(product(_NEAR, _NEAR, _NEAR)))
    #: Paths so far: the worst error, the codes on the way, where they are.
    paths: list[tuple[float, tuple[tuple[int, int, int], ...], NDArray[np.float64]]] = [(0.0, (), begin)]
    for k in range(1, count + 1):
        ideal = begin + (end - begin) * k / (count + 1)
        nearest = np.array(parse_hex(linear_to_hex(np.clip(oklab_to_linear(ideal), 0, 1))))
        codes = np.unique(np.clip(nearest + shifts, 0, 255), axis=0)
        labs = linear_to_oklab(np.asarray(DECODE_8BIT)[codes]).astype(np.float64)
        beside = np.linalg.norm(labs - ideal, axis=1)
        near = beside <= max(float(beside.min()), _BESIDE)
        codes, labs, beside = codes[near], labs[near], beside[near]
        # What the steps that are left have to make good, each its share.
        left = count + 1 - k
        owed = np.abs(np.linalg.norm(end - labs, axis=1) - left * step) / left
        grown = []
        for worst, path, at in paths:
            errors = np.maximum(np.abs(np.linalg.norm(labs - at, axis=1) - step), worst)
            errors = np.maximum(errors, owed) + 0.05 * beside
            for place in np.argsort(errors)[:_MOST_PATHS]:
                error = max(worst, abs(float(np.linalg.norm(labs[place] - at)) - step))
                r, g, b = (int(code) for code in codes[place])
                grown.append((float(errors[place]), error, (*path, (r, g, b)), labs[place]))
        grown.sort(key=lambda found: found[0])
        paths = [(error, path, at) for _, error, path, at in grown[:_MOST_PATHS]]
    best = min(paths, key=lambda path: max(path[0], abs(float(np.linalg.norm(end - path[2])) - step)))
    return [format_hex(codes) for codes in best[1]]
