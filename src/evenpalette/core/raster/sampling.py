"""Textures read in other places than the texel's own: one truth for evaluation, views and kit.

On the CPU a placement's level of detail is constant and a row of texels is a row of equally spaced coordinates. The
GLSL below does the same.
"""

import math

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import DECODE_8BIT, decode_srgb
from evenpalette.core.kernels import njit
from evenpalette.core.placement import Filter, Placement, Wrap
from evenpalette.core.raster.box import Box
from evenpalette.core.raster.mips import MipChain, MipKind, mip_chain
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import channel_index, sane
from evenpalette.core.raster.stochastic_tiling import Cells, read_cells

F32 = NDArray[np.float32]
#: Texels that a turned read works on side by side.
_COLUMN = 256
_NO_TABLE = np.zeros(0, np.float32)


@njit(nogil=True, cache=True, fastmath=True)
def _taps(start, step, first, count, wrap, nearest, stride, t, low, high, share):  # type: ignore[no-untyped-def]
    """The two texels around each of equally spaced coordinates, times stride, and the share of the second. t: room.

    One loop for each step, so that the compiler vectorizes them.
    """
    n, size = share.size, np.float64(count)
    if wrap == 0:
        for i in range(n):
            p = start + step * i
            t[i] = (p - np.floor(p)) * size
    elif wrap == 1:
        for i in range(n):
            p = (start + step * i) * 0.5
            t[i] = (1.0 - abs((p - np.floor(p)) * 2.0 - 1.0)) * size
    else:
        for i in range(n):
            t[i] = min(max(start + step * i, 0.0), 1.0) * size
    last = np.int32(count - 1)
    if nearest:
        for i in range(n):
            low[i] = (first + min(np.int32(t[i]), last)) * stride
            high[i] = low[i]
            share[i] = 0
        return
    for i in range(n):
        lower = np.floor(t[i] - 0.5)
        share[i] = t[i] - 0.5 - lower
        low[i] = np.int32(lower)
    if wrap == 0:
        for i in range(n):
            a = low[i]
            high[i] = (first + (a + 1 if a < last else np.int32(0))) * stride
            low[i] = (first + (a if a >= 0 else last)) * stride
    else:
        for i in range(n):
            a = low[i]
            high[i] = (first + min(a + 1, last)) * stride
            low[i] = (first + max(a, np.int32(0))) * stride


@njit(nogil=True, cache=True, fastmath=True)
def _straight(flat, table, channels, xs, ys, width, height, tile, strides, wrap, nearest, weight, out):  # type: ignore[no-untyped-def]
    """Where u follows x alone and v follows y alone. flat: all stored values; xs, ys: start and step; strides: of a
    texel and of a row in flat. Adds weight times the read to out."""
    x0, x1, fx = np.empty(width, np.int32), np.empty(width, np.int32), np.empty(width, np.float32)
    y0, y1, fy = np.empty(height, np.int32), np.empty(height, np.int32), np.empty(height, np.float32)
    _taps(xs[0], xs[1], tile[0], tile[2], wrap, nearest, strides[0], np.empty(width), x0, x1, fx)
    _taps(ys[0], ys[1], tile[1], tile[3], wrap, nearest, np.int32(1), np.empty(height), y0, y1, fy)
    lookup = table.size > 0
    for row in range(height):
        share, rest = fy[row] * weight, (np.float32(1) - fy[row]) * weight
        for k in range(channels.size):
            above = flat[np.int64(y0[row]) * strides[1] + channels[k] :]
            below = flat[np.int64(y1[row]) * strides[1] + channels[k] :]
            line = out[k, row * width : (row + 1) * width]
            if lookup:
                for i in range(width):
                    p, q, f = np.uint32(x0[i]), np.uint32(x1[i]), fx[i]
                    a, b = table[np.uint32(above[p])], table[np.uint32(above[q])]
                    d, e = table[np.uint32(below[p])], table[np.uint32(below[q])]
                    line[i] += (a + (b - a) * f) * rest + (d + (e - d) * f) * share
            else:
                for i in range(width):
                    p, q, f = np.uint32(x0[i]), np.uint32(x1[i]), fx[i]
                    a, b = np.float32(above[p]), np.float32(above[q])
                    d, e = np.float32(below[p]), np.float32(below[q])
                    line[i] += (a + (b - a) * f) * rest + (d + (e - d) * f) * share


@njit(nogil=True, cache=True, fastmath=True)
def _between(a, b, d, e, f, g):  # type: ignore[no-untyped-def]
    """Between two texels above and two below. f, g: the shares of the right ones and of the lower ones."""
    upper, lower = a + (b - a) * f, d + (e - d) * f
    return upper + (lower - upper) * g


@njit(nogil=True, cache=True, fastmath=True)
def _looked_up(values, table, p, q, r, o, f, g):  # type: ignore[no-untyped-def]
    """`_between` what four stored integers stand for."""
    a, b = table[np.uint32(values[p])], table[np.uint32(values[q])]
    d, e = table[np.uint32(values[r])], table[np.uint32(values[o])]
    return _between(a, b, d, e, f, g)


@njit(nogil=True, cache=True, fastmath=True)
def _corners(places, shares, i):  # type: ignore[no-untyped-def]
    """Where the four texels around a place are, in the rooms of `_turned`, and the shares of the right and lower
    ones."""
    second, third, fourth = np.uint64(_COLUMN), np.uint64(2 * _COLUMN), np.uint64(3 * _COLUMN)
    left, right = np.uint32(places[i]), np.uint32(places[i + second])
    upper, lower = np.uint32(places[i + third]), np.uint32(places[i + fourth])
    return upper + left, upper + right, lower + left, lower + right, shares[i], shares[i + second]


@njit(nogil=True, cache=True, fastmath=True)
def _turned(flat, table, channels, us, vs, width, height, tile, strides, wrap, nearest, weight, out):  # type: ignore[no-untyped-def]
    """Any placement. us, vs: start, step along x, step along y. In narrow columns, so that what is read stays near.

    Places and shares lie at fixed distances in two rooms: with an array for each, the compiler has too few registers
    for their addresses. Three integers side by side, which is what a color is, are read together.
    """
    places, shares, t = np.empty(4 * _COLUMN, np.int32), np.empty(2 * _COLUMN, np.float32), np.empty(_COLUMN)
    one, two, lookup = np.uint64(1), np.uint64(2), table.size > 0
    is_color = lookup and channels.size == 3 and channels[1] == channels[0] + 1 and channels[2] == channels[0] + 2
    for left in range(0, width, _COLUMN):
        n = min(_COLUMN, width - left)
        x0, x1, fx = places[:n], places[_COLUMN : _COLUMN + n], shares[:n]
        y0, y1 = places[2 * _COLUMN : 2 * _COLUMN + n], places[3 * _COLUMN : 3 * _COLUMN + n]
        fy = shares[_COLUMN : _COLUMN + n]
        for row in range(height):
            u, v = us[0] + us[1] * left + us[2] * row, vs[0] + vs[1] * left + vs[2] * row
            _taps(u, us[1], tile[0], tile[2], wrap, nearest, strides[0], t[:n], x0, x1, fx)
            _taps(v, vs[1], tile[1], tile[3], wrap, nearest, strides[1], t[:n], y0, y1, fy)
            at = row * width + left
            if is_color:
                colors = flat[channels[0] :]
                red, green, blue = out[0, at : at + n], out[1, at : at + n], out[2, at : at + n]
                for i in range(n):
                    p, q, r, o, f, g = _corners(places, shares, np.uint64(i))
                    red[i] += _looked_up(colors, table, p, q, r, o, f, g) * weight
                    green[i] += _looked_up(colors, table, p + one, q + one, r + one, o + one, f, g) * weight
                    blue[i] += _looked_up(colors, table, p + two, q + two, r + two, o + two, f, g) * weight
                continue
            for channel in range(channels.size):
                values, line = flat[channels[channel] :], out[channel, at : at + n]
                for i in range(n):
                    p, q, r, o, f, g = _corners(places, shares, np.uint64(i))
                    if lookup:
                        line[i] += _looked_up(values, table, p, q, r, o, f, g) * weight
                    else:
                        a, b = np.float32(values[p]), np.float32(values[q])
                        d, e = np.float32(values[r]), np.float32(values[o])
                        line[i] += _between(a, b, d, e, f, g) * weight


_TABLES: dict[tuple[str, bool], F32] = {("u1", True): DECODE_8BIT}


def _table(pixels: NDArray, *, is_color: bool) -> F32:
    """What each stored integer stands for; empty for floats."""
    if pixels.dtype == np.float32:
        return _NO_TABLE
    key = pixels.dtype.str[1:], is_color
    if key not in _TABLES:
        values = np.arange(np.iinfo(pixels.dtype).max + 1) / np.iinfo(pixels.dtype).max
        _TABLES[key] = decode_srgb(values) if is_color else values.astype(np.float32)
    return _TABLES[key]


def level_of_detail(placement: Placement, texture: tuple[int, int], size: tuple[int, int]) -> float:
    """The level, 0 the whole texture, that a picture of `size` (width, height) reads from one of `texture` texels.

    log2 of the longer of the two steps between neighboring texels (OpenGL 4.6, section 8.14.1), at least 0, at most
    the level on which a tile of the grid is one texel. To nine places: a turned read of level 1 is not to read a
    billionth of level 0 beside it.
    """
    _, _, wide, high = placement.share
    tile = texture[0] * wide, texture[1] * high
    along = placement.linear / np.array(size, np.float64) * np.array([[tile[0]], [tile[1]]])
    longest = float(np.sqrt((along * along).sum(0)).max())
    cap = math.log2(max(texture)) if placement.is_whole else math.log2(max(1.0, min(tile)))
    return min(max(round(math.log2(max(longest, 1e-30)), 9), 0.0), math.floor(cap))


def read_placed(
    raster: Raster, placement: Placement, size: tuple[int, int], box: Box, channels: tuple[int, ...],
    out: F32, *, kind: MipKind = MipKind.PLAIN, cells: Cells | None = None,
) -> F32:  # fmt: skip
    """Read channels (0 red .. 3 alpha) of a texture at the texel centers of a box of a picture.

    size: (width, height) of the picture over which uv goes from 0 to 1. box: (left, top, right, bottom) in its texels.
    out: float32 (channels, texels), which is filled and returned: linear light for color, the stored values for data.
    cells: tiles by chance, in the grid of the placement.
    """
    out[:] = 0
    chain = mip_chain(raster, kind)
    lod = level_of_detail(placement, raster.size, size)
    if placement.filter is Filter.NEAREST:
        lod = 0.0
    elif placement.filter is Filter.BILINEAR:
        lod = float(math.floor(lod + 0.5))
    level = min(int(lod), len(chain.levels) - 1)
    rest = lod - level if level + 1 < len(chain.levels) else 0.0
    stored = [(k, channel_index(raster.channels, channel)) for k, channel in enumerate(channels)]
    for k, index in stored:
        if index < 0:
            out[k] = 1
    for number, share in ((level, 1 - rest), (level + 1, rest)):
        if share > 0:
            _read_level(chain, number, placement, size, box, stored, np.float32(share), out, cells)
    return out


def _read_level(
    chain: MipChain, level: int, placement: Placement, size: tuple[int, int], box: Box,
    stored: list[tuple[int, int]], weight: np.float32, out: F32, cells: Cells | None,
) -> None:  # fmt: skip
    raster = chain.levels[level]
    pixels = raster.pixels if raster.pixels.dtype != np.float32 else sane(raster.pixels)
    left, top, right, bottom = box
    linear, offset = placement.linear, placement.offset
    at = np.array([(left + 0.5) / size[0], (top + 0.5) / size[1]])
    start = [float(linear[axis] @ at) + offset[axis] for axis in (0, 1)]
    tile = _tile(placement, raster.size)
    flat = pixels.reshape(-1)
    strides = np.array([raster.channels, raster.channels * raster.width], np.int32)
    nearest = placement.filter is Filter.NEAREST
    for is_color in (True, False):
        wanted = [
            (k, c) for k, c in stored if c >= 0
            and is_color is (raster.encoding is Encoding.SRGB and not (raster.channels in (2, 4) and c == raster.channels - 1))
        ]  # fmt: skip
        if not wanted:
            continue
        table, channels = _table(pixels, is_color=is_color), np.array([c for _, c in wanted], np.int64)
        places = [k for k, _ in wanted]
        part = out[places[0] : places[-1] + 1]
        us, vs = ((start[axis], linear[axis, 0] / size[0], linear[axis, 1] / size[1]) for axis in (0, 1))
        if cells is not None:
            grid = np.array([cells.columns, cells.rows, cells.tile, cells.count, cells.seed], np.int64)
            read_cells(
                pixels, table, channels, us, vs, right - left, bottom - top, np.array(raster.size, np.int64), grid,
                float(cells.soften), int(placement.wrap), nearest, weight, part,
            )  # fmt: skip
            continue
        how = right - left, bottom - top, tile, strides, int(placement.wrap), nearest, weight, part
        if linear[0, 1] == 0 and linear[1, 0] == 0:
            xs, ys = (start[0], linear[0, 0] / size[0]), (start[1], linear[1, 1] / size[1])
            _straight(flat, table, channels, xs, ys, *how)
        else:
            _turned(flat, table, channels, us, vs, *how)


def _tile(placement: Placement, size: tuple[int, int]) -> NDArray[np.int32]:
    """First column and row, columns and rows of the tile in texels of a level; borders are rounded to texels."""
    x, y, wide, high = placement.share
    left, top = math.floor(x * size[0] + 0.5), math.floor(y * size[1] + 0.5)
    right, bottom = math.floor((x + wide) * size[0] + 0.5), math.floor((y + high) * size[1] + 0.5)
    left, top = min(left, size[0] - 1), min(top, size[1] - 1)
    return np.array([left, top, max(1, right - left), max(1, bottom - top)], np.int32)


def is_hardware(placement: Placement) -> bool:
    """Whether a sampler that repeats reads it as it is: no grid, repeated, filtered."""
    return placement.is_whole and placement.wrap is Wrap.REPEAT and placement.filter is not Filter.NEAREST


#: `ep_laid`: repeated, no grid, filtered by a sampler that repeats and filters between levels. `ep_placed`: everything
#: else, from texels. p: see `Placement.uniform`.
GLSL = """
// A placed texture. p: linear part by columns; offset and offset per second; the tile's left, top, width, height; wrap
// (0 repeat, 1 mirror, 2 clamp) and filter (0 trilinear, 1 bilinear, 2 nearest).
vec2 ep_moved(mat4 p, vec2 uv, float seconds) {
    vec2 moved = p[1].xy + p[1].zw * seconds;
    return mat2(p[0].xy, p[0].zw) * uv + (p[3].x < 1.5 ? mod(moved, 2.0) : moved);
}
float ep_level(mat4 p, vec2 size, vec2 dx, vec2 dy) {
    mat2 m = mat2(p[0].xy, p[0].zw);
    vec2 tile = p[2].zw * size, gx = m * dx * tile, gy = m * dy * tile;
    float lod = 0.5 * log2(max(max(dot(gx, gx), dot(gy, gy)), 1e-30));
    bool whole = p[2].z * p[2].w > 0.999;
    float cap = floor(log2(max(1.0, whole ? max(size.x, size.y) : min(tile.x, tile.y))) + 1e-4);
    lod = p[3].y > 1.5 ? 0.0 : p[3].y > 0.5 ? floor(lod + 0.5) : lod;
    return clamp(lod, 0.0, cap);
}
vec4 ep_laid(sampler2D s, mat4 p, vec2 uv, vec2 dx, vec2 dy, float seconds) {
    return textureLod(s, ep_moved(p, uv, seconds), ep_level(p, vec2(textureSize(s, 0)), dx, dy));
}
vec4 ep_texels(sampler2D s, mat4 p, vec2 at, int level) {
    vec2 size = vec2(textureSize(s, level));
    vec2 first = min(floor(p[2].xy * size + 0.5), size - 1.0);
    vec2 count = max(floor((p[2].xy + p[2].zw) * size + 0.5) - first, 1.0);
    bool repeats = p[3].x < 0.5;
    vec2 w = repeats ? fract(at) : p[3].x < 1.5 ? 1.0 - abs(mod(at, 2.0) - 1.0) : clamp(at, 0.0, 1.0);
    vec2 t = w * count;
    if (p[3].y > 1.5) return texelFetch(s, ivec2(first + min(floor(t), count - 1.0)), level);
    vec2 a = floor(t - 0.5), f = t - 0.5 - a, b = a + 1.0;
    a = repeats ? mix(a, a + count, lessThan(a, vec2(0.0))) : max(a, 0.0);
    b = repeats ? mix(b, b - count, greaterThanEqual(b, count)) : min(b, count - 1.0);
    ivec2 low = ivec2(first + a), high = ivec2(first + b);
    vec4 upper = mix(texelFetch(s, low, level), texelFetch(s, ivec2(high.x, low.y), level), f.x);
    vec4 lower = mix(texelFetch(s, ivec2(low.x, high.y), level), texelFetch(s, high, level), f.x);
    return mix(upper, lower, f.y);
}
vec4 ep_placed(sampler2D s, mat4 p, vec2 uv, vec2 dx, vec2 dy, float seconds) {
    vec2 at = ep_moved(p, uv, seconds), size = vec2(textureSize(s, 0));
    float lod = ep_level(p, size, dx, dy);
    int last = int(floor(log2(max(size.x, size.y)) + 1e-4)), level = min(int(lod), last);
    return mix(ep_texels(s, p, at, level), ep_texels(s, p, at, min(level + 1, last)), lod - float(level));
}
"""
