"""Shade: occlusion over everything."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers
from evenpalette.core.recipe.kind import MapInput, Op, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _shade(plane, weight, amount, occlusion, factor):  # type: ignore[no-untyped-def]
    part = (factor - np.float32(1)) * amount
    for i in range(plane.size):
        plane[i] += plane[i] * part * ((np.float32(1) - occlusion[i]) * weight[i])


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    weight, occlusion = line(at, 3, start, n), line(at, 4, start, n)
    v = numbers(at, 4)
    for k in range(3):
        _shade(line(at, k, start, n), weight, v[0], occlusion, v[1 + k])


KIND = StepKind(
    key="shade",
    label="Shade",
    summary="Occlusion: darken where little light comes in",
    inputs=(Input("color", "Shadow color", ValueType.COLOR, "#000000", description="Black is plain occlusion"),),
    maps=(MapInput("occlusion", "Occlusion", (1.0,), "White is open, black is closed", roles=("occlusion",)),),
    ops=(
        Op(
            "base_color",
            Block(_block, lambda values: values["color"], (("occlusion", 1),)),
            """
vec3 ep_shade_base_color(vec3 c, vec3 color, float occlusion) {
    return c * mix(color, vec3(1.0), occlusion);
}
""",
            ("color", "occlusion"),
        ),
    ),
    examples=({"color": "#102040"},),
    over_paint=True,
    formula="op(c) = c * mix(color, 1, occlusion)",
    source="glTF 2.0, occlusionTexture (1 + strength * (occlusion - 1)); the shadow color is common practice, no source",
    order=60,
    words="occlusion shadow cavity ao dark corners",
)
