"""Inside: another color where faces are seen from behind, or in one half of the texture."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.kind import SIDE, UV, Op, Plane, Planes, Prepared, StepKind, Weigh
from evenpalette.core.values import Input, ValueType

WHERE = ("Back faces", "Left half", "Right half", "Upper half", "Lower half")


@njit(nogil=True, cache=True, fastmath=True)
def _tint(plane, weight, amount, color, keep):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        plane[i] += (color * (np.float32(1) + keep * (plane[i] - np.float32(1))) - plane[i]) * weight[i] * amount


def _run(planes: Planes, weight: Plane, amount: float, values: Prepared, _: Mapping[str, Planes]) -> None:
    for plane, color in zip(planes, values["color"], strict=True):
        _tint(plane, weight, np.float32(amount), np.float32(color), np.float32(values["keep"]))


def _weigh(values: Prepared, reads: Mapping[str, Planes]) -> Plane:
    u, v = reads[UV]
    where = int(values["where"])
    if where == 0:
        return np.full(u.shape, values[SIDE], np.float32)
    along = u if where in (1, 2) else v
    return ((along < 0.5) == (where in (1, 3))).astype(np.float32)


KIND = StepKind(
    key="inside",
    label="Inside",
    summary="Another color on the back of faces, or in one half of the texture: linings, undersides",
    inputs=(
        Input("color", "Color", ValueType.COLOR, "#7a3b2e"),
        Input("keep", "Keep below", ValueType.NUMBER, 1.0, description="1 tints what is below, 0 covers it"),
        Input(
            "where", "Where", ValueType.CHOICE, WHERE[0], choices=WHERE,
            description="Back faces need a game that draws both sides; halves suit assets whose inside has its own half of the texture",
        ),
    ),
    weigh=Weigh(
        _weigh,
        "float ep_inside_weigh(int where, float side, vec2 uv) {\n"
        "    if (where == 0) return side;\n"
        "    bool first = (where < 3 ? uv.x : uv.y) < 0.5;\n"
        "    return first == (where == 1 || where == 3) ? 1.0 : 0.0;\n}\n",
        ("where", SIDE, UV),
    ),
    ops=(Op("base_color", _run, """
vec3 ep_inside_base_color(vec3 c, vec3 color, float keep) {
    return color * mix(vec3(1.0), c, keep);
}
""", ("color", "keep")),),
    examples=({"color": "#804030", "keep": 0.3, "where": "Lower half"}, {"where": "Left half"}),
    formula="op(c) = color mix(1, c, keep), where the side or the half is",
    source="common practice, no source",
    order=36,
)  # fmt: skip
