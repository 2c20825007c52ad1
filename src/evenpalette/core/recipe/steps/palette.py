"""Palette: the colors of an index texture, by a row of a strip."""

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers
from evenpalette.core.recipe.kind import MapInput, Op, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _lay(plane, weight, amount, color, alpha, multiply):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        below = plane[i]
        made = color[i] + multiply * (color[i] * below - color[i])
        plane[i] += (made - below) * alpha[i] * weight[i] * amount


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    weight, alpha = line(at, 3, start, n), line(at, 7, start, n)
    v = numbers(at, 2)
    for k in range(3):
        _lay(line(at, k, start, n), weight, v[0], line(at, 4 + k, start, n), alpha, v[1])


KIND = StepKind(
    key="palette",
    label="Palette",
    summary="Index art in the colors of a row of its strip: day, night, seasons",
    inputs=(
        Input("row", "Row", ValueType.INTEGER, 0, 0, 255, description="Of the strip, 0 is the top one"),
        Input("to", "Blend to", ValueType.INTEGER, 0, 0, 255, description="Another row"),
        Input("blend", "Blend", ValueType.NUMBER, 0.0, description="How much of the other row: day into night"),
        Input("multiply", "Keep below", ValueType.NUMBER, 0.0, description="0 covers what is below, 1 multiplies it"),
    ),
    maps=(
        MapInput(
            "index", "Index", (0.0, 0.0, 0.0, 0.0), "Positions in the strip", roles=("index art", "mask", "other data"),
            looks_up="strip",
        ),
        MapInput("strip", "Strip", (0.0, 0.0, 0.0, 1.0), "One palette a row", whole=True, roles=("palette strip", "other color")),
    ),
    ops=(
        Op("base_color", Block(_block, lambda values: [values["multiply"]], (("index", 4),)), """
vec3 ep_palette_base_color(vec3 c, float multiply, vec4 index) {
    return mix(c, mix(index.rgb, index.rgb * c, multiply), index.a);
}
""", ("multiply", "index")),
    ),
    examples=({"row": 1, "to": 0, "blend": 0.3, "multiply": 0.0}, {"row": 0, "multiply": 0.6}),
    own=("row", "index", "strip"),
    formula="op(c) = mix(c, t * mix(1, c, multiply), alpha), t = mix(strip[row][i], strip[to][i], blend), i the entry of the level",
    source="palette lookup, common practice, no source; each texel is looked up before colors are filtered",
    order=24,
    words="index lookup pixel art rows day night",
)  # fmt: skip
