"""Mixing an attribute toward a value that is the same for all texels: the operation of paint, dirt and finish."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.recipe.kind import Op, Plane, Planes, Prepared

#: Texels that are worked on together: what is summed for them stays in the first cache.
_BLOCK = 1024


@njit(nogil=True, cache=True, fastmath=True)
def _toward(plane, weight, amount, target):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        plane[i] += (target - plane[i]) * weight[i] * amount


def toward(planes: Planes, weight: Plane, amount: float, target: object) -> None:
    """`c += (target - c) w`, in place. target: a number, or one for each plane."""
    numbers = np.broadcast_to(np.asarray(target, np.float32), len(planes))
    for plane, number in zip(planes, numbers, strict=True):
        _toward(plane, weight, np.float32(amount), number)


@njit(nogil=True, cache=True, fastmath=True)
def _toward_all(plane, weights, amounts, targets):  # type: ignore[no-untyped-def]
    moved = np.empty(_BLOCK, np.float32)
    for start in range(0, plane.size, _BLOCK):
        n = min(_BLOCK, plane.size - start)
        part = plane[start : start + n]
        moved[:n] = 0
        for k in range(targets.size):
            w, amount, target = weights[k, start : start + n], amounts[k], targets[k]
            for i in range(n):
                moved[i] += (target - part[i]) * w[i] * amount
        for i in range(n):
            part[i] += moved[i]


def toward_all(
    planes: Planes, weights: NDArray[np.float32], amounts: NDArray[np.float32], targets: NDArray[np.float32]
) -> None:
    """`c += sum over rows of w amount (target - c)`, in place. weights: (rows, texels). targets: (planes, rows)."""
    for plane, numbers in zip(planes, targets, strict=True):
        _toward_all(plane, weights, amounts, numbers)


def replacing(kind: str, attribute: str, input: str, scale: str = "") -> Op:
    """The operation of a kind that replaces an attribute by the value of an input."""

    def kernel(planes: Planes, weight: Plane, amount: float, values: Prepared, _: object) -> None:
        toward(planes, weight, amount, values[input])

    type_ = ATTRIBUTES[attribute].glsl
    glsl = f"{type_} ep_{kind}_{attribute}({type_} c, {type_} to) {{ return to; }}\n"
    return Op(attribute, kernel, glsl, (input,), replaces=True, sets=input, scale=scale)
