"""Replace: remove what is below and put a color there."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.kind import Op, Plane, Planes, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _replace(r, g, b, weight, amount, red, green, blue, keep, own):  # type: ignore[no-untyped-def]
    for i in range(r.size):
        w = weight[i] * amount
        y = np.float32(0.2126) * r[i] + np.float32(0.7152) * g[i] + np.float32(0.0722) * b[i]
        light = np.float32(1) + keep * (y / own - np.float32(1))
        r[i] += (red * light - r[i]) * w
        g[i] += (green * light - g[i]) * w
        b[i] += (blue * light - b[i]) * w


def _run(planes: Planes, weight: Plane, amount: float, values: Prepared, _: Mapping[str, Planes]) -> None:
    r, g, b = planes
    c = values["color"]
    own = max(0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2], 1e-3)
    _replace(
        r,
        g,
        b,
        weight,
        np.float32(amount),
        c[0],
        c[1],
        c[2],
        np.float32(values["keep_light"]),
        np.float32(own),
    )


def _affine(values: Prepared) -> np.ndarray:
    color, keep = values["color"], np.float32(values["keep_light"])
    luma = np.array([0.2126, 0.7152, 0.0722], np.float32)
    scale = keep / max(float(luma @ color), 1e-3)
    return np.concatenate([np.outer(color, luma * scale), (color * (1 - keep))[:, None]], 1)


KIND = StepKind(
    key="replace",
    label="Replace",
    summary="Remove what is below and put a color there",
    inputs=(
        Input("color", "Color", ValueType.COLOR, "#808080"),
        Input("keep_light", "Keep light", ValueType.NUMBER, 0.0, description="1 keeps the luminance that was below"),
    ),
    ops=(
        Op(
            "base_color",
            _run,
            """
vec3 ep_replace_base_color(vec3 c, vec3 color, float keep_light) {
    const vec3 luma = vec3(0.2126, 0.7152, 0.0722);
    return color * mix(1.0, dot(c, luma) / max(dot(color, luma), 1e-3), keep_light);
}
""",
            ("color", "keep_light"),
            replaces=lambda values: values["keep_light"] == 0,
            affine=_affine,
        ),
    ),
    examples=({"color": "#3c7ad8", "keep_light": 0.0}, {"color": "#3c7ad8", "keep_light": 0.6}),
    formula="op(c) = color * mix(1, Y(c) / max(Y(color), 0.001), keep_light), Y by ITU-R BT.709",
    source="common practice, no source: c * (1 - m) + color * m",
    order=20,
    words="remove overpaint solid",
)
