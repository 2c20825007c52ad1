"""Cover: dirt or wear that lies over what is below, through a mask of its own."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, Mask, line, numbers
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind, Weigh
from evenpalette.core.recipe.relief import relief
from evenpalette.core.recipe.toward import replacing
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _grown(mask, level, softness, out):  # type: ignore[no-untyped-def]
    offset, scale = level - np.float32(1), np.float32(1) / softness
    for i in range(mask.size):
        out[i] = min(max((mask[i] + offset) * scale, np.float32(0)), np.float32(1))


@njit(nogil=True, cache=True, fastmath=True)
def _mask(at, start, n):  # type: ignore[no-untyped-def]
    v = numbers(at, 2)
    _grown(line(at, 1, start, n), v[0], v[1], line(at, 0, start, n))


def _mask_numbers(values: Prepared) -> list[float]:
    return [values["level"], max(float(values["softness"]), 1e-3)]


def _relief_numbers(values: Prepared) -> list[float]:
    return [values["strength"], 1 - float(values["levels"]), 1.0]


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
        Input(
            "levels", "Levels relief", ValueType.NUMBER, 0.0, unit="share",
            description="How far it fills up the relief below; 1 leaves none of it: thick paint, snow",
        ),
        Input("strength", "Relief", ValueType.NUMBER, 1.0, 0.0, 4.0, description="Of its own normal map, where it has one"),
    ),
    maps=(
        MapInput("mask", "Mask", (0.0,), "White is covered", roles=("mask",)),
        MapInput("detail", "Normal map", (0.5, 0.5, 1.0, 1.0), "The relief of the cover, laid on what it leaves of that below", whole=True,
                 roles=("normal", "pattern"), needed=False),
    ),
    weigh=Weigh(
        Mask(_mask, _mask_numbers, (("mask", 1),)),
        "float ep_cover_weigh(float level, float softness, float mask) {\n"
        "    return clamp((mask + level - 1.0) / max(softness, 1e-3), 0.0, 1.0);\n}\n",
        ("level", "softness", "mask"),
    ),
    ops=(
        replacing("cover", "base_color", "color"),
        replacing("cover", "roughness", "roughness", "finish"),
        replacing("cover", "metallic", "metallic", "finish"),
        Op("normal", Block(relief, _relief_numbers, (("detail", 3),)), """
vec2 ep_cover_normal(vec2 c, float levels, float strength, vec4 detail) {
    return ep_relief(c, detail.rgb, strength, 1.0 - levels, false);
}
""", ("levels", "strength", "detail"), needs=("levels", "detail"), shared=("relief",)),
    ),
    examples=(
        {"color": "#2b2620", "level": 0.8, "softness": 0.4},
        {"color": "#2b2620", "level": 0.9, "softness": 0.7, "finish": True, "roughness": 0.85, "metallic": 0.3, "levels": 0.6, "strength": 0.7},
    ),
    formula="mixed in by clamp((mask + level - 1) / softness): color, and on wish roughness and metallic; its normal map combined with (1 - levels) of the slopes below",
    source="common practice, no source; normals: C. Barre-Brisebois, S. Hill, \"Blending in Detail\", 2012",
    order=50,
    over_paint=True,
    words="dirt dirty dust rust soot wear edges scratches moss snow",
)  # fmt: skip
