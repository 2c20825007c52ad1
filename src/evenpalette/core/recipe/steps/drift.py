"""Drift: hue, saturation and light vary slowly inside a region, and the picked color stays in the mean."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.color.blocks import sine_cosine
from evenpalette.core.color.yiq import GLSL as YIQ_GLSL
from evenpalette.core.color.yiq import RGB_FROM_YIQ, YIQ_FROM_RGB
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.kind import MapInput, Op, Plane, Planes, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _drift(r, g, b, weight, amount, first, second, third, hue, saturation, light, level, to, back):  # type: ignore[no-untyped-def]
    one, two = np.float32(1), np.float32(2)
    for i in range(r.size):
        w = weight[i] * amount
        sin, cos = sine_cosine((first[i] * two - one) * hue)
        chroma = (one + (second[i] * two - one) * saturation) * level
        bright = one + (third[i] * two - one) * light
        y = to[0, 0] * r[i] + to[0, 1] * g[i] + to[0, 2] * b[i]
        u = to[1, 0] * r[i] + to[1, 1] * g[i] + to[1, 2] * b[i]
        v = to[2, 0] * r[i] + to[2, 1] * g[i] + to[2, 2] * b[i]
        cos, sin = cos * chroma, sin * chroma
        u, v = u * cos - v * sin, u * sin + v * cos
        r[i] += ((back[0, 0] * y + back[0, 1] * u + back[0, 2] * v) * bright - r[i]) * w
        g[i] += ((back[1, 0] * y + back[1, 1] * u + back[1, 2] * v) * bright - g[i]) * w
        b[i] += ((back[2, 0] * y + back[2, 1] * u + back[2, 2] * v) * bright - b[i]) * w


def _run(planes: Planes, weight: Plane, amount: float, values: Prepared, reads: Mapping[str, Planes]) -> None:
    f = np.float32
    hue = float(values["hue"]) * np.pi / 180
    # What turning by all angles alike takes from the mean of the chroma.
    level = hue / np.sin(hue) if abs(hue) > 1e-4 else 1.0
    first, second, third, _ = reads["noise"]
    _drift(
        *planes, weight, f(amount), first, second, third, f(hue), f(values["saturation"]), f(values["light"]), f(level),
        YIQ_FROM_RGB.astype(f), RGB_FROM_YIQ.astype(f),
    )  # fmt: skip


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
    ops=(Op("base_color", _run, YIQ_GLSL + """
vec3 ep_drift_base_color(vec3 c, float hue, float saturation, float light, vec4 noise) {
    float most = radians(hue);
    float angle = (noise.r * 2.0 - 1.0) * most;
    float chroma = (1.0 + (noise.g * 2.0 - 1.0) * saturation) * (most > 1e-4 ? most / sin(most) : 1.0);
    vec3 yiq = EP_YIQ_FROM_RGB * c;
    vec2 way = vec2(cos(angle), sin(angle)) * chroma;
    yiq.yz = vec2(yiq.y * way.x - yiq.z * way.y, yiq.y * way.y + yiq.z * way.x);
    return EP_RGB_FROM_YIQ * yiq * (1.0 + (noise.b * 2.0 - 1.0) * light);
}
""", ("hue", "saturation", "light", "noise")),),
    examples=({"hue": 20.0, "saturation": 0.3, "light": 0.2}, {"hue": 0.0, "saturation": 0.2, "light": 0.3}),
    own=("hue", "saturation", "light"),
    formula="in linear YIQ: (I, Q) turned by n1 hue and scaled by (1 + n2 saturation) hue / sin(hue); all times 1 + n3 light; n in -1..1",
    source="YIQ: NTSC (FCC); the mean of evenly spread turns by integration: sin(h) / h",
    order=32,
)  # fmt: skip
