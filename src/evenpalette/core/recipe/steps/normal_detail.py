"""Normal detail: a second normal map laid on the first as on a bent sheet, not added to it."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.kind import MapInput, Op, Plane, Planes, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _combine(x, y, weight, amount, red, green, blue, strength, down):  # type: ignore[no-untyped-def]
    for i in range(x.size):
        w = weight[i] * amount
        if w == 0:
            continue
        # The detail as a unit vector, its slopes scaled.
        u, v = red[i] * 2 - 1, green[i] * 2 - 1
        if down:
            v = -v
        z = max(blue[i] * 2 - 1, np.float32(0.2))
        u, v = u * strength, v * strength
        length = 1 / np.sqrt(u * u + v * v + z * z)
        u, v, z = u * length, v * length, z * length
        # The base as a unit vector; t and u of reoriented normal mapping.
        length = 1 / np.sqrt(x[i] * x[i] + y[i] * y[i] + 1)
        tx, ty, tz = x[i] * length, y[i] * length, length + 1
        dot = (tx * -u + ty * -v + tz * z) / tz
        mx, my, mz = tx * dot + u, ty * dot + v, max(tz * dot - z, np.float32(0.1))
        x[i] += (mx / mz - x[i]) * w
        y[i] += (my / mz - y[i]) * w


def _run(planes: Planes, weight: Plane, amount: float, values: Prepared, reads: Mapping[str, Planes]) -> None:
    red, green, blue, _ = reads["detail"]
    _combine(*planes, weight, np.float32(amount), red, green, blue, np.float32(values["strength"]), int(values["down"]) == 1)


KIND = StepKind(
    key="normal_detail",
    label="Normal detail",
    summary="A second normal map laid on the first, combined and not added",
    inputs=(
        Input("strength", "Strength", ValueType.NUMBER, 1.0, 0.0, 4.0),
        Input("down", "Green down", ValueType.SWITCH, False, description="Whether its green points down"),
    ),
    maps=(
        MapInput("detail", "Detail", (0.5, 0.5, 1.0, 1.0), "A normal map; it may be tiled", whole=True, roles=("normal", "pattern")),
    ),
    ops=(Op("normal", _run, """
vec2 ep_normal_detail_normal(vec2 c, float strength, int down, vec4 detail) {
    vec3 n = detail.rgb * 2.0 - 1.0;
    n = normalize(vec3(n.x * strength, (down == 1 ? -n.y : n.y) * strength, max(n.z, 0.2)));
    vec3 t = normalize(vec3(c, 1.0)) + vec3(0.0, 0.0, 1.0);
    vec3 u = vec3(-n.xy, n.z);
    vec3 r = t * (dot(t, u) / t.z) - u;
    return r.xy / max(r.z, 0.1);
}
""", ("strength", "down", "detail")),),
    examples=({"strength": 1.0}, {"strength": 0.6, "down": True}),
    formula="t = n + (0, 0, 1), u = (-d.x, -d.y, d.z); t (t . u) / t.z - u, as slopes",
    source="C. Barre-Brisebois, S. Hill, \"Blending in Detail\", 2012: reoriented normal mapping",
    order=47,
)  # fmt: skip
