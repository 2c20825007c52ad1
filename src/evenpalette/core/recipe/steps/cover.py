"""Cover: dirt or wear that lies over what is below, through a mask of its own."""

from collections.abc import Mapping

import numpy as np
from numba import njit

from evenpalette.core.recipe.kind import ChannelInput, Input, Plane, Prepared, StepKind
from evenpalette.core.recipe.parameters import ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _cover(r, g, b, weight, amount, mask, red, green, blue, level, softness):  # type: ignore[no-untyped-def]
    offset, scale = level - np.float32(1), np.float32(1) / softness
    for i in range(r.size):
        t = min(max((mask[i] + offset) * scale, np.float32(0)), np.float32(1))
        w = weight[i] * amount * t
        r[i] += (red - r[i]) * w
        g[i] += (green - g[i]) * w
        b[i] += (blue - b[i]) * w


def _run(
    r: Plane, g: Plane, b: Plane, weight: Plane, amount: float, values: Prepared, channels: Mapping[str, Plane]
) -> None:
    c, f = values["color"], np.float32
    level, softness = f(values["level"]), f(max(float(values["softness"]), 1e-3))
    _cover(r, g, b, weight, f(amount), channels["mask"], c[0], c[1], c[2], level, softness)


KIND = StepKind(
    key="cover",
    label="Cover",
    summary="Dirt or wear over what is below, through its own mask",
    inputs=(
        Input("color", "Color", ValueType.COLOR, "#2b2620"),
        Input("level", "Level", ValueType.NUMBER, 1.0, description="How far the cover has grown; 1 is the mask itself"),
        Input("softness", "Softness", ValueType.NUMBER, 1.0, 0.02, 1.0, description="Width of its edge in mask values"),
    ),
    channels=(ChannelInput("mask", "Mask", 0.0, "White is covered"),),
    kernel=_run,
    glsl="""
vec3 ep_cover(vec3 c, vec3 color, float level, float softness, float mask) {
    return mix(c, color, clamp((mask + level - 1.0) / max(softness, 1e-3), 0.0, 1.0));
}
""",
    formula="op(c) = mix(c, color, clamp((mask + level - 1) / softness))",
    source="common practice, no source",
    order=50,
)
