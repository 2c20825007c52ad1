"""Mix: two textures by a pattern, plain or by their heights: what stands higher shows through."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import BLOCK, Block, line, numbers
from evenpalette.core.recipe.heights import WAYS, depth, shares
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _lay(plane, weight, amount, share, first, second, one, two, keep):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        low, high = first[i] * one, second[i] * two
        made = (low + (high - low) * share[i]) * (np.float32(1) + keep * (plane[i] - np.float32(1)))
        plane[i] += (made - plane[i]) * weight[i] * amount


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    weight, pattern = line(at, 3, start, n), line(at, 4, start, n)
    v, share = numbers(at, 10), np.empty(BLOCK, np.float32)[:n]
    shares(pattern, line(at, 5, start, n), line(at, 6, start, n), v[1], v[2] == 1, share)
    for k in range(3):
        first, second = line(at, 7 + k, start, n), line(at, 10 + k, start, n)
        _lay(line(at, k, start, n), weight, v[0], share, first, second, v[4 + k], v[7 + k], v[3])


def _numbers(values: Prepared) -> list[float]:
    return [depth(values), values["way"], values["keep"], *values["first_tint"], *values["second_tint"]]


_READS = (("pattern", 1), ("first_height", 1), ("second_height", 1), ("first", 3), ("second", 3))


KIND = StepKind(
    key="mix",
    label="Mix",
    summary="Two textures by a pattern: moss on stone, sand between planks",
    inputs=(
        Input("first_tint", "First tint", ValueType.COLOR, "#ffffff"),
        Input("second_tint", "Second tint", ValueType.COLOR, "#ffffff"),
        Input("way", "Blend", ValueType.CHOICE, WAYS[0], choices=WAYS, description="By heights: what stands higher there shows"),
        Input("contrast", "Contrast", ValueType.NUMBER, 0.8, description="Of heights: 0 blends all, 1 lets the higher one win"),
        Input("keep", "Keep below", ValueType.NUMBER, 0.0, description="0 covers what is below, 1 multiplies it"),
    ),
    maps=(
        MapInput("first", "First", (1.0, 1.0, 1.0, 1.0), "Where the pattern is black", whole=True, roles=("other color", "pattern")),
        MapInput("second", "Second", (0.5, 0.5, 0.5, 1.0), "Where the pattern is white", whole=True, roles=("other color", "pattern")),
        MapInput("pattern", "Pattern", (0.0,), "Which of the two", roles=("mask", "pattern", "other data")),
        MapInput("first_height", "First height", (0.5,), "How high the first stands", roles=("height", "other data"), needed=False),
        MapInput("second_height", "Second height", (0.5,), "How high the second stands", roles=("height", "other data"), needed=False),
    ),
    ops=(Op("base_color", Block(_block, _numbers, _READS), """
vec3 ep_mix_base_color(vec3 c, vec3 first_tint, vec3 second_tint, int way, float contrast, float keep, vec4 first, vec4 second, float pattern, float first_height, float second_height) {
    float t = ep_heights(way, contrast, pattern, first_height, second_height);
    return mix(first.rgb * first_tint, second.rgb * second_tint, t) * mix(vec3(1.0), c, keep);
}
""", ("first_tint", "second_tint", "way", "contrast", "keep", "first", "second", "pattern", "first_height", "second_height"), shared=("heights",)),),
    examples=({"way": "Plain", "keep": 0.5}, {"way": "By heights", "contrast": 0.3, "first_tint": "#c0a080"}),
    own=("first", "second", "first_tint", "second_tint"),
    formula="mix(first, second, t); by heights t = b / (a + b), a = max(h1 + 1 - t - g, 0), b = max(h2 + t - g, 0), g = max of both less the depth",
    source="height blending, common practice, no source",
    order=23,
    words="moss sand snow between stones two textures height blend",
)  # fmt: skip
