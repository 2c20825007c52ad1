"""CIEDE2000, the color difference that reports are written in.

Source: G. Sharma, W. Wu, E. N. Dalal, "The CIEDE2000 Color-Difference Formula: Implementation Notes,
Supplementary Test Data, and Mathematical Observations", Color Research and Application 30(1), 2005.
"""

import math

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32
from evenpalette.core.color.lab import WHITE, XYZ_FROM_LINEAR
from evenpalette.core.kernels import njit, prange


@njit(nogil=True, cache=True)
def _ciede2000_pair(l1, a1, b1, l2, a2, b2):  # type: ignore[no-untyped-def]
    c1, c2 = math.hypot(a1, b1), math.hypot(a2, b2)
    mean7 = ((c1 + c2) / 2) ** 7
    g = 0.5 * (1 - math.sqrt(mean7 / (mean7 + 6103515625.0)))
    a1p, a2p = (1 + g) * a1, (1 + g) * a2
    c1p, c2p = math.hypot(a1p, b1), math.hypot(a2p, b2)
    h1 = math.degrees(math.atan2(b1, a1p)) % 360.0 if c1p > 0 else 0.0
    h2 = math.degrees(math.atan2(b2, a2p)) % 360.0 if c2p > 0 else 0.0
    dh, mean_h = 0.0, h1 + h2
    if c1p * c2p > 0:
        dh = h2 - h1
        if dh > 180:
            dh -= 360
        elif dh < -180:
            dh += 360
        mean_h = (h1 + h2) / 2
        if abs(h1 - h2) > 180:
            mean_h = (h1 + h2 + 360) / 2 if h1 + h2 < 360 else (h1 + h2 - 360) / 2
    delta_l, delta_c = l2 - l1, c2p - c1p
    delta_h = 2 * math.sqrt(c1p * c2p) * math.sin(math.radians(dh / 2))
    mean_l, mean_c = (l1 + l2) / 2, (c1p + c2p) / 2
    t = (
        1
        - 0.17 * math.cos(math.radians(mean_h - 30))
        + 0.24 * math.cos(math.radians(2 * mean_h))
        + 0.32 * math.cos(math.radians(3 * mean_h + 6))
        - 0.20 * math.cos(math.radians(4 * mean_h - 63))
    )
    turn = 30 * math.exp(-(((mean_h - 275) / 25) ** 2))
    c7 = mean_c**7
    rotation = -math.sin(math.radians(2 * turn)) * 2 * math.sqrt(c7 / (c7 + 6103515625.0))
    l50 = (mean_l - 50) ** 2
    sl = 1 + 0.015 * l50 / math.sqrt(20 + l50)
    sc, sh = 1 + 0.045 * mean_c, 1 + 0.015 * mean_c * t
    x, y, z = delta_l / sl, delta_c / sc, delta_h / sh
    return math.sqrt(max(0.0, x * x + y * y + z * z + rotation * y * z))


@njit(nogil=True, cache=True, parallel=True)
def _ciede2000_flat(first, second, out):  # type: ignore[no-untyped-def]
    for i in prange(out.size):
        out[i] = _ciede2000_pair(first[i, 0], first[i, 1], first[i, 2], second[i, 0], second[i, 1], second[i, 2])


def ciede2000(first_lab: NDArray, second_lab: NDArray) -> F32:
    """Difference of CIELAB colors (..., 3), broadcast together, with kL = kC = kH = 1; float32, shape (...)."""
    first, second = np.broadcast_arrays(np.asarray(first_lab, np.float64), np.asarray(second_lab, np.float64))
    out = np.empty(first.size // 3, np.float32)
    _ciede2000_flat(np.ascontiguousarray(first).reshape(-1, 3), np.ascontiguousarray(second).reshape(-1, 3), out)
    return out.reshape(first.shape[:-1])


@njit(nogil=True, cache=True)
def _lab(r, g, b, matrix):  # type: ignore[no-untyped-def]
    x = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
    y = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
    z = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b
    x = x ** (1.0 / 3.0) if x > 0.008856451679035631 else x * 7.787037037037037 + 0.13793103448275862
    y = y ** (1.0 / 3.0) if y > 0.008856451679035631 else y * 7.787037037037037 + 0.13793103448275862
    z = z ** (1.0 / 3.0) if z > 0.008856451679035631 else z * 7.787037037037037 + 0.13793103448275862
    return 116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)


@njit(nogil=True, cache=True)
def _lightness_bound(l1, l2):  # type: ignore[no-untyped-def]
    """No smaller than this is the difference, for the part of lightness stands alone in the formula."""
    l50 = ((l1 + l2) / 2 - 50) ** 2
    return abs(l2 - l1) / (1 + 0.015 * l50 / math.sqrt(20 + l50))


@njit(nogil=True, cache=True)
def _to_color(stored, table, second, third, wanted, beyond, matrix, out):  # type: ignore[no-untyped-def]
    last = np.int64(-1)
    found = np.float32(0)
    for i in range(stored.shape[0]):
        r, g, b = np.int64(stored[i, 0]), np.int64(stored[i, second]), np.int64(stored[i, third])
        key = (r << 32) | (g << 16) | b
        # Pictures are runs of one color as often as not.
        if key != last:
            last = key
            l1, a1, b1 = _lab(table[r], table[g], table[b], matrix)
            found = np.float32(_lightness_bound(l1, wanted[0]))
            if found < beyond:
                found = np.float32(_ciede2000_pair(l1, a1, b1, wanted[0], wanted[1], wanted[2]))
        out[i] = found


def difference_to_color(codes: NDArray, table: NDArray[np.float32], wanted: NDArray, beyond: float) -> F32:
    """CIEDE2000 of stored codes (n, channels), uint8 or uint16, to one CIELAB color (3,); float32 (n,).

    table: linear light of every code. beyond: differences above it need not be exact, but are not said to be smaller.
    """
    out = np.empty(len(codes), np.float32)
    second, third = (0, 0) if codes.shape[1] <= 2 else (1, 2)
    _to_color(codes, table, second, third, np.asarray(wanted, np.float64), beyond, _MATRIX, out)
    return out


@njit(nogil=True, cache=True)
def _difference_part(first, second, matrix, out, start, end):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        l1, a1, b1 = _lab(first[i, 0], first[i, 1], first[i, 2], matrix)
        l2, a2, b2 = _lab(second[i, 0], second[i, 1], second[i, 2], matrix)
        out[i] = _ciede2000_pair(l1, a1, b1, l2, a2, b2)


@njit(nogil=True, cache=True, parallel=True)
def _difference_flat(first, second, matrix, out):  # type: ignore[no-untyped-def]
    for part in prange((out.size + _PART - 1) // _PART):
        _difference_part(first, second, matrix, out, part * _PART, min(out.size, (part + 1) * _PART))


#: Texels that one thread takes at a time; of fewer no other is woken.
_PART = 2048
_MATRIX = np.ascontiguousarray(XYZ_FROM_LINEAR / WHITE[:, None])


def difference_of_linear(first: NDArray, second: NDArray) -> F32:
    """CIEDE2000 between two linear Rec. 709 pictures (..., 3), broadcast together; float32, shape (...)."""
    one, other = np.broadcast_arrays(np.asarray(first), np.asarray(second))
    out = np.empty(one.size // 3, np.float32)
    flat = [np.ascontiguousarray(p).reshape(-1, 3) for p in (one, other)]
    if out.size <= _PART:
        _difference_part(*flat, _MATRIX, out, 0, out.size)
    else:
        _difference_flat(*flat, _MATRIX, out)
    return out.reshape(one.shape[:-1])
