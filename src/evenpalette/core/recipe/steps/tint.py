"""Tint: multiply by a color."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.kind import Op, Plane, Planes, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _tint(r, g, b, weight, amount, red, green, blue, detail):  # type: ignore[no-untyped-def]
    rest = np.float32(1) - detail
    for i in range(r.size):
        w = weight[i] * amount
        r[i] += (red * (rest + detail * r[i]) - r[i]) * w
        g[i] += (green * (rest + detail * g[i]) - g[i]) * w
        b[i] += (blue * (rest + detail * b[i]) - b[i]) * w


def _run(planes: Planes, weight: Plane, amount: float, values: Prepared, _: Mapping[str, Planes]) -> None:
    r, g, b = planes
    color = values["color"]
    _tint(r, g, b, weight, np.float32(amount), color[0], color[1], color[2], np.float32(values["detail"]))


def _affine(values: Prepared) -> np.ndarray:
    color, detail = values["color"], np.float32(values["detail"])
    return np.concatenate([np.diag(color * detail), (color * (1 - detail))[:, None]], 1)


KIND = StepKind(
    key="tint",
    label="Tint",
    summary="Multiply by a color: white leaves as it is, black makes black",
    inputs=(
        Input("color", "Color", ValueType.COLOR, "#ffffff"),
        Input(
            "detail", "Keep detail", ValueType.NUMBER, 1.0, description="1 keeps all light and dark below, 0 is flat"
        ),
    ),
    ops=(
        Op(
            "base_color",
            _run,
            """
vec3 ep_tint_base_color(vec3 c, vec3 color, float detail) {
    return color * mix(vec3(1.0), c, detail);
}
""",
            ("color", "detail"),
            affine=_affine,
        ),
    ),
    examples=({"color": "#d8693c", "detail": 0.7},),
    formula="op(c) = color * mix(1, c, detail)",
    source="multiply, W3C Compositing and Blending Level 1, section 10.1.2, on linear light",
    order=10,
    tint="color",
    words="paint color multiply recolor dye",
)
