"""Fill: a texture laid over the surface by a placement."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.kind import MapInput, Op, Plane, Planes, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _fill(plane, weight, amount, picture, alpha, tint, multiply):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        below = plane[i]
        made = picture[i] * tint
        made += multiply * (made * below - made)
        plane[i] += (made - below) * alpha[i] * weight[i] * amount


def _run(planes: Planes, weight: Plane, amount: float, values: Prepared, reads: Mapping[str, Planes]) -> None:
    picture, f = reads["picture"], np.float32
    for plane, color, tint in zip(planes, picture, values["tint"], strict=False):
        _fill(plane, weight, f(amount), color, picture[3], f(tint), f(values["multiply"]))


KIND = StepKind(
    key="fill",
    label="Fill",
    summary="A tileable texture, laid by a placement of each row",
    inputs=(
        Input("tint", "Tint", ValueType.COLOR, "#ffffff", description="Multiplies the texture"),
        Input("multiply", "Keep below", ValueType.NUMBER, 0.0, description="0 covers what is below, 1 multiplies it"),
    ),
    maps=(
        MapInput(
            "picture", "Texture", (0.0, 0.0, 0.0, 0.0), "Its alpha, where it has one, is how much of it is laid", whole=True,
            roles=("other color",),
        ),
    ),
    ops=(
        Op("base_color", _run, """
vec3 ep_fill_base_color(vec3 c, vec3 tint, float multiply, vec4 picture) {
    vec3 made = picture.rgb * tint;
    return mix(c, mix(made, made * c, multiply), picture.a);
}
""", ("tint", "multiply", "picture")),
    ),
    examples=({"tint": "#ffe0c0", "multiply": 0.0}, {"tint": "#c0e0ff", "multiply": 0.7}),
    own=("tint", "picture", "picture_placed"),
    formula="op(c) = mix(c, t * mix(1, c, multiply), alpha), t = texture * tint",
    source="source-over and multiply, W3C Compositing and Blending Level 1, on linear light",
    order=25,
)  # fmt: skip
