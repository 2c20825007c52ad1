"""Block kernels between memory and lines: stored texels to linear planes, planes to texels as they are delivered."""

import numpy as np

from evenpalette.core.color.encoding import encode_codes
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.attributes import STEEPEST
from evenpalette.core.recipe.blocks import BLOCK, line, numbers, said, stored_line, three

_STEEPEST = np.float32(STEEPEST)


@njit(nogil=True, cache=True, fastmath=True)
def read_channel(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: what is stored, 8 bits, and where it goes. Numbers: a factor and what is added. Said: channels, and which
    of them."""
    out, factor = line(at, 1, start, n), numbers(at, 2)
    scale, added = factor[0], factor[1]
    about = said(at, 2, 2)
    channels, index = about[0], about[1]
    stored = stored_line(at, 0, start, n * channels)
    if channels == 1:
        for i in range(n):
            out[i] = np.float32(stored[i]) * scale + added
    else:
        for i in range(n):
            out[i] = np.float32(stored[i * channels + index]) * scale + added


@njit(nogil=True, cache=True, fastmath=True)
def read_three(at, start, n):  # type: ignore[no-untyped-def]
    """The first three channels at once. Lines: what is stored, 8 bits, then where they go. Said: channels."""
    x, y, z = three(at, 1, start, n)
    channels, unit = said(at, 4, 1)[0], np.float32(1 / 255)
    stored = stored_line(at, 0, start, n * channels)
    for i in range(n):
        texel = i * channels
        x[i] = np.float32(stored[texel]) * unit
        y[i] = np.float32(stored[texel + 1]) * unit
        z[i] = np.float32(stored[texel + 2]) * unit


@njit(nogil=True, cache=True)
def read_color(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: what is stored, 8 bits, then red, green, blue. Numbers: the linear light of every code. Said: channels."""
    r, g, b = three(at, 1, start, n)
    table, channels = numbers(at, 256), said(at, 4, 1)[0]
    stored = stored_line(at, 0, start, n * channels)
    for i in range(n):
        at_texel = i * channels
        r[i], g[i], b[i] = table[stored[at_texel]], table[stored[at_texel + 1]], table[stored[at_texel + 2]]


@njit(nogil=True, cache=True, fastmath=True)
def slopes(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: x, y, z as they are stored, 0..1; the first two become slopes, steep ones held at 89 degrees. Numbers: by
    what each of them is multiplied."""
    x, y, z = three(at, 0, start, n)
    factor, one, two = numbers(at, 2), np.float32(1), np.float32(2)
    for i in range(n):
        z[i] = one / max(z[i] * two - one, _STEEPEST)
    for i in range(n):
        x[i] = (x[i] * two - one) * z[i] * factor[0]
    for i in range(n):
        y[i] = (y[i] * two - one) * z[i] * factor[1]


@njit(nogil=True, cache=True)
def copy(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: from, to."""
    one, other = line(at, 0, start, n), line(at, 1, start, n)
    for i in range(n):
        other[i] = one[i]


@njit(nogil=True, cache=True)
def fill(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: one. Numbers: its value."""
    out, value = line(at, 0, start, n), numbers(at, 1)[0]
    for i in range(n):
        out[i] = value


@njit(nogil=True, cache=True)
def store_color(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: where they are stored as 8-bit sRGB, then red, green, blue."""
    x, y, z = np.empty(BLOCK, np.int32), np.empty(BLOCK, np.int32), np.empty(BLOCK, np.int32)
    encode_codes(line(at, 1, start, n), x)
    encode_codes(line(at, 2, start, n), y)
    encode_codes(line(at, 3, start, n), z)
    texels = stored_line(at, 0, start, 3 * n)
    for i in range(n):
        texels[3 * i], texels[3 * i + 1], texels[3 * i + 2] = np.uint8(x[i]), np.uint8(y[i]), np.uint8(z[i])


@njit(nogil=True, cache=True, fastmath=True)
def store_data(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: where it is stored in 8 bits, then the plane. Said: channels there, and which of them."""
    plane, about = line(at, 1, start, n), said(at, 2, 2)
    channels, index = about[0], about[1]
    texels = stored_line(at, 0, start, channels * n)
    codes = np.empty(BLOCK, np.int32)
    for i in range(n):
        codes[i] = np.int32(min(max(plane[i], np.float32(0)), np.float32(1)) * np.float32(255) + np.float32(0.5))
    if channels == 1:
        for i in range(n):
            texels[i] = np.uint8(codes[i])
    else:
        for i in range(n):
            texels[i * channels + index] = np.uint8(codes[i])


@njit(nogil=True, cache=True, fastmath=True)
def store_slopes(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: where they are stored as an 8-bit normal map, then two slopes."""
    texels, x, y = stored_line(at, 0, start, 3 * n), line(at, 1, start, n), line(at, 2, start, n)
    half = np.float32(127.5)
    for i in range(n):
        length = half / np.sqrt(x[i] * x[i] + y[i] * y[i] + np.float32(1))
        texels[3 * i] = np.uint8(x[i] * length + half + np.float32(0.5))
        texels[3 * i + 1] = np.uint8(y[i] * length + half + np.float32(0.5))
        texels[3 * i + 2] = np.uint8(length + half + np.float32(0.5))


@njit(nogil=True, cache=True)
def store_float(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: where it is stored in 32-bit floats, then the plane. Said: channels there, and which of them."""
    plane, about = line(at, 1, start, n), said(at, 2, 2)
    channels, index = about[0], about[1]
    texels = line(at, 0, start, channels * n)
    for i in range(n):
        texels[i * channels + index] = plane[i]


@njit(nogil=True, cache=True)
def store_three(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: where they are stored in 32-bit floats, then three planes."""
    texels, (x, y, z) = line(at, 0, start, 3 * n), three(at, 1, start, n)
    for i in range(n):
        texels[3 * i], texels[3 * i + 1], texels[3 * i + 2] = x[i], y[i], z[i]


@njit(nogil=True, cache=True, fastmath=True)
def store_vectors(at, start, n):  # type: ignore[no-untyped-def]
    """Lines: where they are stored as unit vectors of three floats, then two slopes."""
    texels, x, y = line(at, 0, start, 3 * n), line(at, 1, start, n), line(at, 2, start, n)
    one = np.float32(1)
    for i in range(n):
        length = one / np.sqrt(x[i] * x[i] + y[i] * y[i] + one)
        texels[3 * i], texels[3 * i + 1], texels[3 * i + 2] = x[i] * length, y[i] * length, length
