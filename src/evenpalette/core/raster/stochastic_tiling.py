"""Tiles of an atlas by chance: each cell of the surface shows one tile, and near its border the tiles beside it.

Every repeat of a placement is a cell. Which tile it shows is a hash of the cell and a seed; the order repeats itself
after 64 cells. Toward a border, tiles go over into each other, so that tiles that are tileable themselves show no seam.
"""

import numpy as np

from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import njit
from evenpalette.core.pcg import pcg_of_one


@dataclass(frozen=True)
class Cells:
    """columns, rows: the grid of tiles. tile: the first one shown, from 0, row by row. count: how many tiles, from that
    one on, chance takes of. seed: another order. soften: how far tiles go over into each other, 0..0.5 of a cell."""

    columns: int
    rows: int
    tile: int
    count: int = 1
    seed: int = 0
    soften: float = 0.0

    @property
    def is_one(self) -> bool:
        """Whether all cells show the same tile."""
        return min(self.count, self.columns * self.rows) <= 1


@njit(nogil=True, cache=True)
def _held(p, wrap):  # type: ignore[no-untyped-def]
    """The share of a cell's width at which it is read."""
    f = p - np.floor(p)
    return 1.0 - f if wrap == 1 and int(np.floor(p)) % 2 != 0 else f


@njit(nogil=True, cache=True)
def read_cells(values, table, channels, us, vs, width, height, texture, grid, mixing, wrap, nearest, weight, out):  # type: ignore[no-untyped-def]
    """Add weight times the read of texels (row by row, width of them in a row) to out (channels, texels).

    values: stored values (height, width, channels) of a mip level; table: what integers stand for, empty for floats;
    us, vs: start, step along x, step along y of the coordinates; grid: columns, rows, first tile, how many, seed;
    mixing: how far tiles go over into each other.
    """
    columns, rows, first, count, seed = int(grid[0]), int(grid[1]), int(grid[2]), int(grid[3]), np.uint32(grid[4])
    wide, high = int(texture[0]), int(texture[1])
    lookup = table.size > 0
    salt = pcg_of_one(seed)
    for row in range(height):
        for column in range(width):
            u = us[0] + us[1] * column + us[2] * row
            v = vs[0] + vs[1] * column + vs[2] * row
            if wrap == 2:
                u, v = min(max(u, 0.0), 1.0 - 1e-9), min(max(v, 0.0), 1.0 - 1e-9)
            cu, cv = int(np.floor(u)), int(np.floor(v))
            fu, fv = u - cu, v - cv
            wu = 0.5 * min(max(1.0 - min(fu, 1.0 - fu) / max(mixing, 1e-4), 0.0), 1.0) if wrap != 2 else 0.0
            wv = 0.5 * min(max(1.0 - min(fv, 1.0 - fv) / max(mixing, 1e-4), 0.0), 1.0) if wrap != 2 else 0.0
            hu, hv = _held(u, wrap), _held(v, wrap)
            for corner in range(4):
                share = (wu if corner % 2 else 1.0 - wu) * (wv if corner // 2 else 1.0 - wv)
                if share == 0.0:
                    continue
                x = cu + ((-1 if fu < 0.5 else 1) if corner % 2 else 0)
                y = cv + ((-1 if fv < 0.5 else 1) if corner // 2 else 0)
                chance = pcg_of_one((x & 63) + int(pcg_of_one((y & 63) + int(salt))))
                tile = (first + int(chance % np.uint32(count))) % (columns * rows)
                left = int(np.floor(tile % columns / columns * wide + 0.5))
                top = int(np.floor(tile // columns / rows * high + 0.5))
                left, top = min(left, wide - 1), min(top, high - 1)
                across = max(int(np.floor((tile % columns + 1) / columns * wide + 0.5)) - left, 1)
                down = max(int(np.floor((tile // columns + 1) / rows * high + 0.5)) - top, 1)
                tu, tv = hu * across, hv * down
                if nearest:
                    x0 = x1 = min(int(tu), across - 1)
                    y0 = y1 = min(int(tv), down - 1)
                    gu = gv = 0.0
                else:
                    x0, y0 = int(np.floor(tu - 0.5)), int(np.floor(tv - 0.5))
                    gu, gv = tu - 0.5 - x0, tv - 0.5 - y0
                    x1, y1 = x0 + 1, y0 + 1
                    if wrap == 0:
                        x0, y0 = (x0 if x0 >= 0 else across - 1), (y0 if y0 >= 0 else down - 1)
                        x1, y1 = (x1 if x1 < across else 0), (y1 if y1 < down else 0)
                    else:
                        x0, y0 = max(x0, 0), max(y0, 0)
                        x1, y1 = min(x1, across - 1), min(y1, down - 1)
                x0, x1, y0, y1 = left + x0, left + x1, top + y0, top + y1
                part = np.float32(share * weight)
                p, q = np.float32(gu), np.float32(gv)
                for k in range(channels.size):
                    c = channels[k]
                    if lookup:
                        a, b = table[np.uint32(values[y0, x0, c])], table[np.uint32(values[y0, x1, c])]
                        d, e = table[np.uint32(values[y1, x0, c])], table[np.uint32(values[y1, x1, c])]
                    else:
                        a, b = np.float32(values[y0, x0, c]), np.float32(values[y0, x1, c])
                        d, e = np.float32(values[y1, x0, c]), np.float32(values[y1, x1, c])
                    upper, lower = a + (b - a) * p, d + (e - d) * p
                    out[k, row * width + column] += (upper + (lower - upper) * q) * part


#: The same in shaders; stands behind the texts of the hash and of placed reads. tile counts from 1.
GLSL = """
// The grid of tiles of a placement p, set to one of them.
mat4 ep_gridded(mat4 p, int columns, int rows, int n) {
    if (columns * rows > 1) {
        p[2] = vec4(float(n % columns) / float(columns), float(n / columns) / float(rows), 1.0 / float(columns), 1.0 / float(rows));
    }
    return p;
}
vec4 ep_tile(sampler2D s, mat4 p, vec2 uv, vec2 dx, vec2 dy, float seconds, int columns, int rows, int tile) {
    return ep_placed(s, ep_gridded(p, columns, rows, clamp(tile - 1, 0, columns * rows - 1)), uv, dx, dy, seconds);
}
// Each cell shows one of `count` tiles by chance; within `soften` of its border the tiles beside it come in.
vec4 ep_cells(sampler2D s, mat4 p, vec2 uv, vec2 dx, vec2 dy, float seconds, int columns, int rows, int tile, int count, int seed, float soften) {
    vec2 at = mat2(p[0].xy, p[0].zw) * uv + mod(p[1].xy + p[1].zw * seconds, 64.0);
    if (p[3].x > 1.5) at = clamp(at, 0.0, 0.999999);
    vec2 cell = floor(at), f = at - cell, edge = min(f, 1.0 - f);
    vec2 share = p[3].x > 1.5 ? vec2(0.0) : 0.5 * clamp(1.0 - edge / max(soften, 1e-4), 0.0, 1.0);
    vec2 other = mix(vec2(-1.0), vec2(1.0), greaterThanEqual(f, vec2(0.5)));
    p = ep_gridded(p, columns, rows, 0);
    vec2 size = vec2(textureSize(s, 0));
    float lod = ep_level(p, size, dx, dy);
    int last = int(floor(log2(max(size.x, size.y)) + 1e-4)), level = min(int(lod), last), all = columns * rows;
    vec4 sum = vec4(0.0);
    for (int corner = 0; corner < 4; ++corner) {
        vec2 side = vec2(float(corner % 2), float(corner / 2));
        vec2 w = mix(1.0 - share, share, side);
        ivec2 which = ivec2(cell + other * side) & 63;
        uint chance = ep_pcg(uint(which.x) + ep_pcg(uint(which.y) + ep_pcg(uint(seed))));
        int n = (min(max(tile - 1, 0), all - 1) + int(chance % uint(max(min(count, all), 1)))) % all;
        mat4 here = ep_gridded(p, columns, rows, n);
        vec4 fine = ep_texels(s, here, at, level), coarse = ep_texels(s, here, at, min(level + 1, last));
        sum += mix(fine, coarse, lod - float(level)) * w.x * w.y;
    }
    return sum;
}
"""
