"""Tile: each row shows one tile of an atlas, or tiles by chance; a second atlas comes in by a mask or by heights."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import BLOCK, Block, line, numbers
from evenpalette.core.recipe.heights import WAYS, depth, shares
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _lay(plane, weight, amount, share, first, second, alpha, other, one, two, keep):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        t = share[i]
        made = (first[i] * one * (np.float32(1) - t) + second[i] * two * t) * (
            np.float32(1) + keep * (plane[i] - np.float32(1))
        )
        cover = alpha[i] + (other[i] - alpha[i]) * t
        plane[i] += (made - plane[i]) * cover * weight[i] * amount


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    weight, pattern = line(at, 3, start, n), line(at, 4, start, n)
    v, share = numbers(at, 10), np.empty(BLOCK, np.float32)[:n]
    shares(pattern, line(at, 5, start, n), line(at, 6, start, n), v[1], v[2] == 1, share)
    alpha, other = line(at, 10, start, n), line(at, 14, start, n)
    for k in range(3):
        first, second = line(at, 7 + k, start, n), line(at, 11 + k, start, n)
        _lay(line(at, k, start, n), weight, v[0], share, first, second, alpha, other, v[4 + k], v[7 + k], v[3])


def _numbers(values: Prepared) -> list[float]:
    return [depth(values), values["way"], values["keep"], *values["tint"], *values["second_tint"]]


_READS = (("pattern", 1), ("first_height", 1), ("second_height", 1), ("atlas", 4), ("second", 4))
_MOST = 16.0

KIND = StepKind(
    key="tile",
    label="Tile",
    summary="One tile of an atlas for each row, or tiles by chance: boards, shingles, patches of moss",
    inputs=(
        Input("tile", "Tile", ValueType.INTEGER, 1.0, 1.0, 256.0, description="Counted from the upper left, row by row; the first one where chance picks"),
        Input("tint", "Tint", ValueType.COLOR, "#ffffff"),
        Input("columns", "Columns", ValueType.INTEGER, 4.0, 1.0, _MOST, description="Of the grid; a 1 by 1 grid reads the part that the placement says"),
        Input("rows", "Rows", ValueType.INTEGER, 4.0, 1.0, _MOST, description="Of the grid"),
        Input("count", "By chance of", ValueType.INTEGER, 1.0, 1.0, _MOST, description="How many tiles, from the first on, chance takes of; 1 is no chance"),
        Input("seed", "Seed", ValueType.INTEGER, 0.0, 0.0, 9999.0, description="Another order of tiles"),
        Input("soften", "Soften", ValueType.NUMBER, 0.15, 0.0, 0.5, description="How far tiles go over into each other, so that no border shows"),
        Input("keep", "Keep below", ValueType.NUMBER, 0.0, description="0 covers what is below, 1 multiplies it"),
        Input("second_tint", "Second tint", ValueType.COLOR, "#ffffff", description="Of the second atlas"),
        Input("way", "Blend", ValueType.CHOICE, WAYS[0], choices=WAYS, description="Of the second atlas: by its mask, or what stands higher there shows"),
        Input("contrast", "Contrast", ValueType.NUMBER, 0.8, description="Of heights: 0 blends all, 1 lets the higher one win"),
    ),
    maps=(
        MapInput("atlas", "Atlas", (1.0, 1.0, 1.0, 0.0), "Its alpha, where it has one, is how much of a tile is laid", whole=True, straight=True,
                 roles=("other color", "pattern"), cells=True),
        MapInput("second", "Second atlas", (1.0, 1.0, 1.0, 0.0), "Where the mask is white", whole=True, straight=True, roles=("other color", "pattern"), needed=False, cells=True),
        MapInput("pattern", "Mask", (0.0,), "White shows the second atlas", roles=("mask", "pattern", "other data"), needed=False),
        MapInput("first_height", "Height", (0.5,), "Of the atlas, tile by tile", roles=("height", "other data"), needed=False, cells=True),
        MapInput("second_height", "Second height", (0.5,), "Of the second atlas", roles=("height", "other data"), needed=False, cells=True),
    ),
    ops=(Op("base_color", Block(_block, _numbers, _READS), """
vec3 ep_tile_base_color(vec3 c, vec3 tint, vec3 second_tint, float keep, int way, float contrast, vec4 atlas, vec4 second, float pattern, float first_height, float second_height) {
    float t = ep_heights(way, contrast, pattern, first_height, second_height);
    return mix(c, mix(atlas.rgb * tint, second.rgb * second_tint, t) * mix(vec3(1.0), c, keep), mix(atlas.a, second.a, t));
}
""", ("tint", "second_tint", "keep", "way", "contrast", "atlas", "second", "pattern", "first_height", "second_height"), shared=("heights",)),),
    examples=(
        {"tile": 3.0, "columns": 2.0, "rows": 2.0, "tint": "#e0d0c0"},
        {"tile": 2.0, "columns": 3.0, "rows": 2.0, "count": 5.0, "seed": 7.0, "soften": 0.2, "keep": 0.2, "way": "By heights", "contrast": 0.5},
    ),
    own=("tile", "tint", "atlas", "atlas_placed"),
    formula="mix(c, mix(first, second, t) mix(1, c, keep), alpha); the tile of cell (x, y) is first + pcg(x + pcg(y + pcg(seed))) mod count",
    source="M. Jarzynski, M. Olano, \"Hash Functions for GPU Rendering\", JCGT 9(3), 2020; height blending is common practice, no source",
    order=24,
)  # fmt: skip
