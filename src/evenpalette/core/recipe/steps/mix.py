"""Mix: two textures by a pattern, plain or by their heights: what stands higher shows through."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.heights import WAYS, shares
from evenpalette.core.recipe.kind import MapInput, Op, Plane, Planes, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _lay(plane, weight, amount, share, first, second, keep):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        made = (first[i] + (second[i] - first[i]) * share[i]) * (np.float32(1) + keep * (plane[i] - np.float32(1)))
        plane[i] += (made - plane[i]) * weight[i] * amount


def _run(planes: Planes, weight: Plane, amount: float, values: Prepared, reads: Mapping[str, Planes]) -> None:
    f = np.float32
    share = shares(values, reads["pattern"][0], reads["first_height"][0], reads["second_height"][0])
    for plane, first, second, one, two in zip(
        planes, reads["first"], reads["second"], values["first_tint"], values["second_tint"], strict=False
    ):
        _lay(plane, weight, f(amount), share, first * f(one), second * f(two), f(values["keep"]))


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
    ops=(Op("base_color", _run, """
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
