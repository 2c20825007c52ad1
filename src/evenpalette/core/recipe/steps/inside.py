"""Inside: another color where faces are seen from behind, or in one half of the texture."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, Mask, line, numbers, three
from evenpalette.core.recipe.kind import SIDE, UV, Op, Prepared, StepKind, Weigh
from evenpalette.core.values import Input, ValueType

WHERE = ("Back faces", "Left half", "Right half", "Upper half", "Lower half")


@njit(nogil=True, cache=True, fastmath=True)
def _tint(plane, weight, amount, color, keep):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        plane[i] += (color * (np.float32(1) + keep * (plane[i] - np.float32(1))) - plane[i]) * weight[i] * amount


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    v = numbers(at, 5)
    for k in range(3):
        _tint(line(at, k, start, n), line(at, 3, start, n), v[0], v[2 + k], v[1])


def _numbers(values: Prepared) -> list[float]:
    return [values["keep"], *values["color"]]


@njit(nogil=True, cache=True, fastmath=True)
def _mask(at, start, n):  # type: ignore[no-untyped-def]
    out, u, v = three(at, 0, start, n)
    given = numbers(at, 2)
    where, side = given[0], given[1]
    for i in range(n):
        along = u[i] if where == 1 or where == 2 else v[i]
        first = along < np.float32(0.5)
        out[i] = side if where == 0 else np.float32(first == (where == 1 or where == 3))


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
        Mask(_mask, lambda values: [values["where"], values[SIDE]], ((UV, 2),)),
        "float ep_inside_weigh(int where, float side, vec2 uv) {\n"
        "    if (where == 0) return side;\n"
        "    bool first = (where < 3 ? uv.x : uv.y) < 0.5;\n"
        "    return first == (where == 1 || where == 3) ? 1.0 : 0.0;\n}\n",
        ("where", SIDE, UV),
    ),
    ops=(Op("base_color", Block(_block, _numbers), """
vec3 ep_inside_base_color(vec3 c, vec3 color, float keep) {
    return color * mix(vec3(1.0), c, keep);
}
""", ("color", "keep")),),
    examples=({"color": "#804030", "keep": 0.3, "where": "Lower half"}, {"where": "Left half"}),
    formula="op(c) = color mix(1, c, keep), where the side or the half is",
    source="common practice, no source",
    order=36,
)  # fmt: skip
