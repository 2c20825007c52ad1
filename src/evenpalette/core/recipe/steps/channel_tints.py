"""Channel tints: one color for each channel of a mask, removed and added."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers, three
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType

_LETTERS = ("red", "green", "blue", "alpha")


@njit(nogil=True, cache=True, fastmath=True)
def _lay(plane, weight, amount, r, g, b, a, colors, keep, fourth):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        w = weight[i] * amount
        if w == 0:
            continue
        last = a[i] * fourth
        total = r[i] + g[i] + b[i] + last
        scale = 1 / max(total, np.float32(1))
        added = (r[i] * colors[0] + g[i] * colors[1] + b[i] * colors[2] + last * colors[3]) * scale
        below = plane[i]
        made = below * (1 - total * scale) + added * (1 + keep * (below - 1))
        plane[i] += (made - below) * w


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    weight, a = line(at, 3, start, n), line(at, 7, start, n)
    r, g, b = three(at, 4, start, n)
    v = numbers(at, 15)
    for k in range(3):
        _lay(line(at, k, start, n), weight, v[0], r, g, b, a, v[3 + 4 * k : 7 + 4 * k], v[1], v[2])


def _numbers(values: Prepared) -> list[float]:
    colors = [values[letter][k] for k in range(3) for letter in _LETTERS]
    return [values["keep"], values["fourth"], *colors]


KIND = StepKind(
    key="channel_tints",
    label="Channel tints",
    summary="A color for each channel of a mask, removed and added",
    inputs=(
        Input("red", "Red becomes", ValueType.COLOR, "#c04030"),
        Input("green", "Green becomes", ValueType.COLOR, "#409050"),
        Input("blue", "Blue becomes", ValueType.COLOR, "#3860b0"),
        Input("alpha", "Alpha becomes", ValueType.COLOR, "#e0c050"),
        Input("fourth", "Use alpha", ValueType.SWITCH, False, description="Whether alpha is a mask too"),
        Input("keep", "Keep below", ValueType.NUMBER, 1.0, description="1 tints what is below, 0 covers it"),
    ),
    maps=(MapInput("mask", "Mask", (0.0, 0.0, 0.0, 0.0), "One mask in each channel", whole=True, roles=("channel mask", "other data")),),
    ops=(Op("base_color", Block(_block, _numbers, (("mask", 4),)), """
vec3 ep_channel_tints_base_color(vec3 c, vec3 red, vec3 green, vec3 blue, vec3 alpha, int fourth, float keep, vec4 mask) {
    vec4 m = vec4(mask.rgb, mask.a * float(fourth));
    float total = m.r + m.g + m.b + m.a, scale = 1.0 / max(total, 1.0);
    vec3 added = (red * m.r + green * m.g + blue * m.b + alpha * m.a) * scale;
    return c * (1.0 - total * scale) + added * mix(vec3(1.0), c, keep);
}
""", ("red", "green", "blue", "alpha", "fourth", "keep", "mask")),),
    examples=({"keep": 1.0}, {"keep": 0.3, "fourth": True}),
    own=("red", "green", "blue", "alpha", "mask"),
    formula="c (1 - M) + sum(color_k m_k) mix(1, c, keep); m divided by max(1, sum m), M their sum",
    source="removing a mask and adding a color, the sum clamped to 1: common practice, no source",
    order=15,
    words="rgb mask channels three colors",
)  # fmt: skip
