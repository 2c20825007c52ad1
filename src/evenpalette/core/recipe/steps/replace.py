"""Replace: remove what is below and put a color there."""

import numpy as np

from evenpalette.core.recipe.kind import Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


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
            None,
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
