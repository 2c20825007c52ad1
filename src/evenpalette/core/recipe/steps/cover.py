"""Cover: dirt or wear that lies over what is below, through a mask of its own."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.kind import MapInput, Plane, Planes, Prepared, StepKind, Weigh
from evenpalette.core.recipe.toward import replacing
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _grown(mask, level, softness, out):  # type: ignore[no-untyped-def]
    offset, scale = level - np.float32(1), np.float32(1) / softness
    for i in range(mask.size):
        out[i] = min(max((mask[i] + offset) * scale, np.float32(0)), np.float32(1))


def _weigh(values: Prepared, reads: Mapping[str, Planes]) -> Plane:
    mask = reads["mask"][0]
    out = np.empty_like(mask)
    _grown(mask, np.float32(values["level"]), np.float32(max(float(values["softness"]), 1e-3)), out)
    return out


KIND = StepKind(
    key="cover",
    label="Cover",
    summary="Dirt or wear over what is below, through its own mask",
    inputs=(
        Input("color", "Color", ValueType.COLOR, "#2b2620"),
        Input("level", "Level", ValueType.NUMBER, 1.0, description="How far the cover has grown; 1 is the mask itself"),
        Input("softness", "Softness", ValueType.NUMBER, 1.0, 0.02, 1.0, description="Width of its edge in mask values"),
        Input(
            "finish", "Sets finish", ValueType.SWITCH, False,
            description="Whether it brings a roughness and metallic of its own: soot is matte, worn brass is bare metal",
        ),
        Input("roughness", "Roughness", ValueType.NUMBER, 0.9, unit="share", description="Of the cover, where it sets the finish"),
        Input("metallic", "Metallic", ValueType.NUMBER, 0.0, unit="share", description="Of the cover, where it sets the finish"),
    ),
    maps=(MapInput("mask", "Mask", (0.0,), "White is covered", roles=("mask",)),),
    weigh=Weigh(
        _weigh,
        "float ep_cover_weigh(float level, float softness, float mask) {\n"
        "    return clamp((mask + level - 1.0) / max(softness, 1e-3), 0.0, 1.0);\n}\n",
        ("level", "softness", "mask"),
    ),
    ops=(
        replacing("cover", "base_color", "color"),
        replacing("cover", "roughness", "roughness", "finish"),
        replacing("cover", "metallic", "metallic", "finish"),
    ),
    examples=(
        {"color": "#2b2620", "level": 0.8, "softness": 0.4},
        {"color": "#2b2620", "level": 0.9, "softness": 0.7, "finish": True, "roughness": 0.85, "metallic": 0.3},
    ),
    formula="mixed in by clamp((mask + level - 1) / softness): color, and on wish roughness and metallic",
    source="common practice, no source",
    order=50,
    over_paint=True,
)  # fmt: skip
