"""Normal detail: a second normal map laid on the first as on a bent sheet, not added to it."""

from evenpalette.core.recipe.blocks import Block
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.recipe.relief import relief
from evenpalette.core.values import Input, ValueType


def _numbers(values: Prepared) -> list[float]:
    return [values["strength"], 1.0, -1.0 if int(values["down"]) == 1 else 1.0]


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
    ops=(Op("normal", Block(relief, _numbers, (("detail", 3),)), """
vec2 ep_normal_detail_normal(vec2 c, float strength, int down, vec4 detail) {
    return ep_relief(c, detail.rgb, strength, 1.0, down == 1);
}
""", ("strength", "down", "detail"), shared=("relief",)),),
    examples=({"strength": 1.0}, {"strength": 0.6, "down": True}),
    formula="t = n + (0, 0, 1), u = (-d.x, -d.y, d.z); t (t . u) / t.z - u, as slopes",
    source="C. Barre-Brisebois, S. Hill, \"Blending in Detail\", 2012: reoriented normal mapping",
    order=47,
    words="bumps weave grain normal map detail",
)  # fmt: skip
