"""Shade: occlusion over everything."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.kind import MapInput, Op, Plane, Planes, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _shade(r, g, b, weight, amount, occlusion, red, green, blue):  # type: ignore[no-untyped-def]
    for i in range(r.size):
        dark = (np.float32(1) - occlusion[i]) * weight[i] * amount
        r[i] += r[i] * (red - np.float32(1)) * dark
        g[i] += g[i] * (green - np.float32(1)) * dark
        b[i] += b[i] * (blue - np.float32(1)) * dark


def _run(planes: Planes, weight: Plane, amount: float, values: Prepared, reads: Mapping[str, Planes]) -> None:
    r, g, b = planes
    c = values["color"]
    _shade(r, g, b, weight, np.float32(amount), reads["occlusion"][0], c[0], c[1], c[2])


KIND = StepKind(
    key="shade",
    label="Shade",
    summary="Occlusion: darken where little light comes in",
    inputs=(Input("color", "Shadow color", ValueType.COLOR, "#000000", description="Black is plain occlusion"),),
    maps=(MapInput("occlusion", "Occlusion", (1.0,), "White is open, black is closed", roles=("occlusion",)),),
    ops=(
        Op(
            "base_color",
            _run,
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
