"""Mixing an attribute toward a value that is the same for all texels: the operation of paint, dirt and finish."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.recipe.kind import Op, Plane, Planes, Prepared


@njit(nogil=True, cache=True, fastmath=True)
def _toward(plane, weight, amount, target):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        plane[i] += (target - plane[i]) * weight[i] * amount


def toward(planes: Planes, weight: Plane, amount: float, target: object) -> None:
    """`c += (target - c) w`, in place. target: a number, or one for each plane."""
    numbers = np.broadcast_to(np.asarray(target, np.float32), len(planes))
    for plane, number in zip(planes, numbers, strict=True):
        _toward(plane, weight, np.float32(amount), number)


def replacing(kind: str, attribute: str, input: str, scale: str = "") -> Op:
    """The operation of a kind that replaces an attribute by the value of an input."""

    def kernel(planes: Planes, weight: Plane, amount: float, values: Prepared, _: object) -> None:
        toward(planes, weight, amount, values[input])

    type_ = ATTRIBUTES[attribute].glsl
    glsl = f"{type_} ep_{kind}_{attribute}({type_} c, {type_} to) {{ return to; }}\n"
    return Op(attribute, kernel, glsl, (input,), replaces=True, scale=scale)
