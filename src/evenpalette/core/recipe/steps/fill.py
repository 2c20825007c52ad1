"""Fill: a texture laid over the surface by a placement."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import BLOCK, Block, line, numbers, three
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.recipe.relief import combine
from evenpalette.core.values import Input, ValueType

#: Width of the edge where a fill sinks into what is below, in heights.
_EDGE = 0.1


@njit(nogil=True, cache=True, fastmath=True)
def _share(alpha, height, level, weight, out):  # type: ignore[no-untyped-def]
    """How much of the fill there is: its alpha, where its height stands above 1 - level."""
    edge = np.float32(_EDGE)
    for i in range(out.size):
        stands = (height[i] - np.float32(1) + level * (np.float32(1) + edge)) / edge
        out[i] = alpha[i] * min(max(stands, np.float32(0)), np.float32(1)) * weight[i]


@njit(nogil=True, cache=True, fastmath=True)
def _fill(plane, share, amount, picture, tint, multiply):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        below = plane[i]
        made = picture[i] * tint
        made += multiply * (made * below - made)
        plane[i] += (made - below) * share[i] * amount


@njit(nogil=True, cache=True, fastmath=True)
def _gray(plane, share, amount, gray):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        if gray[i] >= 0:
            plane[i] += (gray[i] - plane[i]) * share[i] * amount


@njit(nogil=True, cache=True, fastmath=True)
def _color(at, start, n):  # type: ignore[no-untyped-def]
    v, share = numbers(at, 6), np.empty(BLOCK, np.float32)[:n]
    _share(line(at, 7, start, n), line(at, 8, start, n), v[1], line(at, 3, start, n), share)
    for k in range(3):
        _fill(line(at, k, start, n), share, v[0], line(at, 4 + k, start, n), v[3 + k], v[2])


@njit(nogil=True, cache=True, fastmath=True)
def _relief(at, start, n):  # type: ignore[no-untyped-def]
    v, share = numbers(at, 4), np.empty(BLOCK, np.float32)[:n]
    _share(line(at, 6, start, n), line(at, 7, start, n), v[1], line(at, 2, start, n), share)
    red, green, blue = three(at, 8, start, n)
    x, y = line(at, 0, start, n), line(at, 1, start, n)
    combine(x, y, share, v[0], red, green, blue, v[3], v[2], np.float32(1))


@njit(nogil=True, cache=True, fastmath=True)
def _roughness(at, start, n):  # type: ignore[no-untyped-def]
    v, share = numbers(at, 2), np.empty(BLOCK, np.float32)[:n]
    _share(line(at, 5, start, n), line(at, 6, start, n), v[1], line(at, 1, start, n), share)
    _gray(line(at, 0, start, n), share, v[0], line(at, 7, start, n))


def _color_numbers(values: Prepared) -> list[float]:
    return [values["level"], values["multiply"], *values["tint"]]


def _relief_numbers(values: Prepared) -> list[float]:
    return [values["level"], values["multiply"], values["strength"]]


def _roughness_numbers(values: Prepared) -> list[float]:
    return [values["level"]]


_READS = (("picture", 4), ("height", 1))

_SHARED = """
float ep_fill_share(float level, float height, float alpha) {
    return alpha * clamp((height - 1.0 + level * 1.1) / 0.1, 0.0, 1.0);
}
"""
_TAKES = ("level", "height", "picture")

KIND = StepKind(
    key="fill",
    label="Fill",
    summary="A tileable set of textures, color, normal and roughness, laid by a placement of each row",
    inputs=(
        Input("tint", "Tint", ValueType.COLOR, "#ffffff", description="Multiplies the texture"),
        Input("multiply", "Keep below", ValueType.NUMBER, 0.0, description="0 covers what is below, 1 multiplies it"),
        Input("strength", "Relief", ValueType.NUMBER, 1.0, 0.0, 4.0, description="Of its normal map, where it has one"),
        Input("level", "Level", ValueType.NUMBER, 1.0, description="Below 1 only what stands high is laid, where it has heights"),
    ),
    maps=(
        MapInput(
            "picture", "Texture", (0.0, 0.0, 0.0, 0.0), "Its alpha, where it has one, is how much of it is laid", whole=True, straight=True,
            roles=("other color",),
        ),
        MapInput("relief", "Normal map", (0.5, 0.5, 1.0, 1.0), "Of the set, green up", whole=True, roles=("normal", "pattern"), needed=False),
        MapInput("gray", "Roughness", (-1.0,), "Of the set", roles=("roughness", "packed data", "other data"), needed=False),
        MapInput("height", "Height", (1.0,), "Of the set: what stands low lets what is below through", roles=("height", "other data"), needed=False),
    ),
    ops=(
        Op("base_color", Block(_color, _color_numbers, _READS), """
vec3 ep_fill_base_color(vec3 c, vec3 tint, float multiply, float level, float height, vec4 picture) {
    vec3 made = picture.rgb * tint;
    return mix(c, mix(made, made * c, multiply), ep_fill_share(level, height, picture.a));
}
""", ("tint", "multiply", *_TAKES)),
        Op("normal", Block(_relief, _relief_numbers, (*_READS, ("relief", 3))), """
vec2 ep_fill_normal(vec2 c, float strength, float multiply, vec4 relief, float level, float height, vec4 picture) {
    return mix(c, ep_relief(c, relief.rgb, strength, multiply, false), ep_fill_share(level, height, picture.a));
}
""", ("strength", "multiply", "relief", *_TAKES), needs=("relief",), shared=("relief",)),
        Op("roughness", Block(_roughness, _roughness_numbers, (*_READS, ("gray", 1))), """
float ep_fill_roughness(float c, float gray, float level, float height, vec4 picture) {
    return gray < 0.0 ? c : mix(c, gray, ep_fill_share(level, height, picture.a));
}
""", ("gray", *_TAKES), needs=("gray",)),
    ),
    helpers=_SHARED,
    examples=({"tint": "#ffe0c0", "multiply": 0.0}, {"tint": "#c0e0ff", "multiply": 0.7, "strength": 0.8, "level": 0.6}),
    own=("tint", "picture", "picture_placed"),
    formula="op(c) = mix(c, t * mix(1, c, multiply), s), t = texture * tint, s = alpha clamp((height - 1 + 1.1 level) / 0.1); normal: combined with `keep below` of the slopes below; roughness: mix(c, map, s)",
    source="source-over and multiply, W3C Compositing and Blending Level 1, on linear light; normals: C. Barre-Brisebois, S. Hill, \"Blending in Detail\", 2012; heights are common practice, no source",
    order=25,
    words="texture material tile",
)  # fmt: skip
