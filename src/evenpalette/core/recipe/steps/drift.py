"""Drift: hue, saturation and light vary slowly inside a region, and the picked color stays in the mean.

The mean stays because what the noise does is as much as its opposite undoes: of turning, scaling and lighting only the
part that changes its sign with the noise is taken, and each channel goes no farther than it could go both ways without
clipping. So it holds for every noise that lies evenly about its middle, however it is spread; a finding says where it
does not.
"""

import numpy as np

from evenpalette.core.color.blocks import sine_cosine
from evenpalette.core.color.yiq import RGB_FROM_YIQ, YIQ_FROM_RGB
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers, three
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _within(c, d):  # type: ignore[no-untyped-def]
    """A change as far as it can be taken both ways without leaving 0..1."""
    room = min(c - min(c, np.float32(0)), max(c, np.float32(1)) - c)
    return min(max(d, -room), room)


@njit(nogil=True, cache=True, fastmath=True)
def _drift(r, g, b, weight, amount, first, second, third, hue, saturation, light, to, back):  # type: ignore[no-untyped-def]
    one, two = np.float32(1), np.float32(2)
    for i in range(r.size):
        w = weight[i] * amount
        sin, cos = sine_cosine((first[i] * two - one) * hue)
        chroma, bright = (second[i] * two - one) * saturation, (third[i] * two - one) * light
        y = to[0, 0] * r[i] + to[0, 1] * g[i] + to[0, 2] * b[i]
        u = to[1, 0] * r[i] + to[1, 1] * g[i] + to[1, 2] * b[i]
        v = to[2, 0] * r[i] + to[2, 1] * g[i] + to[2, 2] * b[i]
        along, across = cos * (chroma + bright), sin * (one + chroma * bright)
        y, u, v = y * bright, u * along - v * across, v * along + u * across
        r[i] += _within(r[i], back[0, 0] * y + back[0, 1] * u + back[0, 2] * v) * w
        g[i] += _within(g[i], back[1, 0] * y + back[1, 1] * u + back[1, 2] * v) * w
        b[i] += _within(b[i], back[2, 0] * y + back[2, 1] * u + back[2, 2] * v) * w


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    r, g, b = three(at, 0, start, n)
    first, second, third = three(at, 4, start, n)
    v = numbers(at, 22)
    to, back = v[4:13].reshape(3, 3), v[13:22].reshape(3, 3)
    _drift(r, g, b, line(at, 3, start, n), v[0], first, second, third, v[1], v[2], v[3], to, back)


def _numbers(values: Prepared) -> list[float]:
    hue = float(values["hue"]) * np.pi / 180
    return [hue, values["saturation"], values["light"], *YIQ_FROM_RGB.reshape(-1), *RGB_FROM_YIQ.reshape(-1)]


KIND = StepKind(
    key="drift",
    label="Drift",
    summary="Slow variation of hue, saturation and light that keeps the mean",
    inputs=(
        Input("hue", "Hue", ValueType.NUMBER, 8.0, 0.0, 90.0, unit="°", description="How far it turns to either side"),
        Input("saturation", "Saturation", ValueType.NUMBER, 0.15, 0.0, 1.0),
        Input("light", "Light", ValueType.NUMBER, 0.1, 0.0, 1.0),
    ),
    maps=(
        MapInput("noise", "Noise", (0.5, 0.5, 0.5, 1.0), "Red turns the hue, green moves the saturation, blue the light; the middle is none",
                 whole=True, roles=("other data", "pattern")),
    ),
    ops=(Op("base_color", Block(_block, _numbers, (("noise", 3),)), """
vec3 ep_drift_base_color(vec3 c, float hue, float saturation, float light, vec4 noise) {
    float angle = radians(hue) * (noise.r * 2.0 - 1.0);
    float chroma = (noise.g * 2.0 - 1.0) * saturation;
    float bright = (noise.b * 2.0 - 1.0) * light;
    vec3 yiq = EP_YIQ_FROM_RGB * c;
    vec2 way = vec2(cos(angle) * (chroma + bright), sin(angle) * (1.0 + chroma * bright));
    vec3 change = EP_RGB_FROM_YIQ * vec3(yiq.x * bright, yiq.y * way.x - yiq.z * way.y, yiq.z * way.x + yiq.y * way.y);
    vec3 room = min(c - min(c, vec3(0.0)), max(c, vec3(1.0)) - c);
    return c + clamp(change, -room, room);
}
""", ("hue", "saturation", "light", "noise"), shared=("yiq",)),),
    examples=({"hue": 20.0, "saturation": 0.3, "light": 0.2}, {"hue": 0.0, "saturation": 0.2, "light": 0.3}),
    own=("hue", "saturation", "light"),
    formula="in linear YIQ: f(n) turns (I, Q) by n1 hue, scales it by 1 + n2 saturation and all by 1 + n3 light; the change is (f(n) - f(-n)) / 2, "
            "in each of R, G, B at most what leaves 0..1 neither way; n in -1..1",
    source="YIQ: NTSC (FCC); the mean of an odd function of evenly spread noise is zero",
    order=32,
    keeps_mean=True,
    words="variation vary noise hand painted uneven",
)  # fmt: skip
