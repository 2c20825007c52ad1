"""Fade: a color that comes in along a gradient, from root to tip or along an axis."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _fade(plane, weight, amount, gradient, root, tip, start, scale, power, keep):  # type: ignore[no-untyped-def]
    one = np.float32(1)
    for i in range(plane.size):
        w = weight[i] * amount
        t = min(max((gradient[i] - start) * scale, np.float32(0)), np.float32(1))
        if power != 1:
            t = t**power
        made = (root + (tip - root) * t) * (one + keep * (plane[i] - one))
        plane[i] += (made - plane[i]) * w


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    weight, gradient = line(at, 3, start, n), line(at, 4, start, n)
    v = numbers(at, 11)
    for k in range(3):
        _fade(line(at, k, start, n), weight, v[0], gradient, v[5 + k], v[8 + k], v[1], v[2], v[3], v[4])


def _numbers(values: Prepared) -> list[float]:
    start = float(values["start"])
    scale = 1 / max(float(values["end"]) - start, 1e-3)
    return [start, scale, values["power"], values["keep"], *values["root"], *values["tip"]]


KIND = StepKind(
    key="fade",
    label="Fade",
    summary="From one color to another along a gradient: root to tip, bottom to top",
    inputs=(
        Input("root", "Root", ValueType.COLOR, "#ffffff", description="Where the gradient is black"),
        Input("tip", "Tip", ValueType.COLOR, "#c08050", description="Where it is white"),
        Input("start", "From", ValueType.NUMBER, 0.0, 0.0, 0.95),
        Input("end", "To", ValueType.NUMBER, 1.0, 0.05, 1.0),
        Input("power", "Power", ValueType.NUMBER, 1.0, 0.1, 8.0, description="Above 1 the tip comes late"),
        Input("keep", "Keep below", ValueType.NUMBER, 1.0, description="1 tints what is below, 0 covers it"),
    ),
    maps=(MapInput("gradient", "Gradient", (0.0,), "Black at the root, white at the tip", roles=("other data", "mask", "height")),),
    ops=(Op("base_color", Block(_block, _numbers, (("gradient", 1),)), """
vec3 ep_fade_base_color(vec3 c, vec3 root, vec3 tip, float start, float end, float power, float keep, float gradient) {
    float t = clamp((gradient - start) / max(end - start, 1e-3), 0.0, 1.0);
    if (power != 1.0) t = pow(t, power);
    return mix(root, tip, t) * mix(vec3(1.0), c, keep);
}
""", ("root", "tip", "start", "end", "power", "keep", "gradient")),),
    examples=({"root": "#f0e0d0", "tip": "#a04030", "start": 0.1, "end": 0.9, "power": 2.0}, {"tip": "#3060a0", "keep": 0.2}),
    own=("root", "tip", "gradient"),
    formula="mix(root, tip, clamp((g - start) / (end - start))^power) mix(1, c, keep)",
    source="common practice, no source",
    order=34,
    words="gradient root tip bleach sun top bottom",
)  # fmt: skip
