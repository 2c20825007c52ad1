"""Tint: multiply by a color."""

import numpy as np

from evenpalette.core.recipe.kind import Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


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
            None,
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
