"""Mixing an attribute toward a value that is the same for all texels: the operation of paint, dirt and finish."""

from collections.abc import Sequence

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.recipe.blocks import BLOCK, NONE, RowsBlock, line, numbers, row_count, row_has, row_weight
from evenpalette.core.recipe.kind import Op, Prepared


@njit(nogil=True, cache=True, fastmath=True)
def _toward_all(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: as many planes as the first number says. Numbers: behind it each row's amount, then for each plane where
    the rows go."""
    count = np.int64(numbers(at, 1)[0])
    rows = row_count(at, count)
    held = numbers(at, 1 + rows * (count + 1))
    moved = np.empty(BLOCK, np.float32)
    for plane in range(count):
        part = line(at, plane, start, n)
        for i in range(n):
            moved[i] = 0
        for k in range(rows):
            if row_has(at, count, k) != NONE:
                _add(part, row_weight(at, count, k, start, n), held[1 + k], held[1 + rows * (plane + 1) + k], moved)
        for i in range(n):
            part[i] += moved[i]


@njit(nogil=True, cache=True, fastmath=True)
def _add(part, weight, amount, target, moved):  # type: ignore[no-untyped-def]
    for i in range(part.size):
        moved[i] += (target - part[i]) * weight[i] * amount


def _numbers(rows: Sequence[Prepared], amounts: Sequence[float], input: str, planes: int) -> list[float]:
    targets = [row[input] if input else 1.0 for row in rows]
    spread = [target if isinstance(target, np.ndarray) else (target,) * planes for target in targets]
    return [planes, *amounts, *(row[plane] for plane in range(planes) for row in spread)]


def replacing(kind: str, attribute: str, input: str, scale: str = "") -> Op:
    """The operation of a kind that replaces an attribute by the value of an input."""
    described = ATTRIBUTES[attribute]
    glsl = f"{described.glsl} ep_{kind}_{attribute}({described.glsl} c, {described.glsl} to) {{ return to; }}\n"
    together = toward(described.planes, input)
    return Op(attribute, None, glsl, (input,), replaces=True, scale=scale, together=together)


def toward(planes: int, input: str) -> RowsBlock:
    """`c += sum over rows of w amount (value - c)`: an attribute of so many planes toward the value of an input, 1 for
    ''."""
    return RowsBlock(_toward_all, lambda rows, amounts: _numbers(rows, amounts, input, planes))
