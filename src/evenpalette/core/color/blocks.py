"""The sRGB curve for many values at once, in loops plain enough that the compiler vectorizes them. For use in kernels.

Powers are taken by roots: x^(1/2.4) = x^(1/4) sqrt(cbrt(x)) and x^2.4 = x^2 (x^2)^(1/5), the roots from a guess by the
exponent and two steps of Halley's method. Off by a few units in the last place from IEC 61966-2-1. What is in
0..1 everywhere takes polynomials, off by at most 0.000001.
"""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encoded_unit
from evenpalette.core.kernels import njit

_THIRD, _FIFTH = np.float32(1 / 3), np.float32(1 / 5)
#: (1 - 1/n) times the bits of 1, a little less: what makes the guess's error even.
_THIRD_OF, _FIFTH_OF = np.int32(709921077), np.int32(851981000)
#: Brighter light is taken as this, so that no power overflows, and dimmer as that, so that none is denormal, which is
#: slow.
_MOST, _LEAST = np.float32(1e6), np.float32(1e-12)
#: a^2.4 of 0..1 from where its curve bends, fitted at Chebyshev's places.
_D0, _D1, _D2, _D3, _D4, _D5, _D6, _D7, _D8, _D9 = (
    np.float32(k)
    for k in (
        0.00015581787, -0.00793938274, 0.33544676, 1.44515843, -2.07998715, 3.04931777, -3.28171968, 2.32501743,
        -0.95921144, 0.17376228,
    )
)  # fmt: skip


@njit(nogil=True, cache=True, fastmath=True)
def encode_units(values):  # type: ignore[no-untyped-def]
    """Encode linear values in place, clamped to 0..1: off by at most 0.000001."""
    for i in range(values.size):
        values[i] = encoded_unit(values[i])


def encoded_units(linear: NDArray[np.float32]) -> NDArray[np.float32]:
    """Linear light of any shape, clamped to 0..1, as encoded values, float32: off by at most 0.000001, and ten times as
    fast as `encode_srgb`."""
    out = np.array(linear, np.float32, order="C")
    encode_units(out.reshape(-1))
    return out


@njit(nogil=True, cache=True, fastmath=True)
def encode_block(values, room):  # type: ignore[no-untyped-def]
    """Encode linear values in place; those below 0 become next to 0. room: as many values, float32."""
    n = values.size
    for i in range(n):
        values[i] = min(max(values[i], _LEAST), _MOST)
    bits, guesses = values.view(np.int32), room.view(np.int32)
    for i in range(n):
        guesses[i] = np.int32(np.float32(bits[i]) * _THIRD) + _THIRD_OF
    for i in range(n):
        a, y = values[i], room[i]
        cube = y * y * y
        y = y * (cube + np.float32(2) * a) / (np.float32(2) * cube + a)
        cube = y * y * y
        y = y * (cube + np.float32(2) * a) / (np.float32(2) * cube + a)
        bent = np.float32(1.055) * np.sqrt(np.sqrt(a) * y) - np.float32(0.055)
        values[i] = np.float32(12.92) * a if a <= np.float32(0.0031308) else bent


@njit(nogil=True, cache=True, fastmath=True)
def decode_block(values, room):  # type: ignore[no-untyped-def]
    """Decode encoded values in place; those below 0 become 0. room: as many values, float32. What becomes of a value
    does not depend on the others."""
    n = values.size
    over = np.float32(0)
    for i in range(n):
        over += max(values[i] - np.float32(1), np.float32(0))
    if over > 0:
        _decode_bright(values, room)
    for i in range(n):
        value = min(max(values[i], np.float32(0)), np.float32(1))
        a = (value + np.float32(0.055)) * np.float32(1 / 1.055)
        low = _D0 + a * (_D1 + a * (_D2 + a * (_D3 + a * _D4)))
        bent = low + a * a * a * a * a * (_D5 + a * (_D6 + a * (_D7 + a * (_D8 + a * _D9))))
        values[i] = value * np.float32(1 / 12.92) if value <= np.float32(0.04045) else bent
    if over > 0:
        for i in range(n):
            values[i] = max(values[i], room[i])


@njit(nogil=True, cache=True, fastmath=True)
def _decode_bright(values, room):  # type: ignore[no-untyped-def]
    """Decoded values that are above 1, in room; 0 for the others."""
    n = values.size
    for i in range(n):
        a = (min(max(values[i], np.float32(1)), _MOST) + np.float32(0.055)) * np.float32(1 / 1.055)
        room[i] = a * a
    bits = room.view(np.int32)
    for i in range(n):
        # The guess takes the place of the square's bits, the square comes again from the value.
        bits[i] = np.int32(np.float32(bits[i]) * _FIFTH) + _FIFTH_OF
    for i in range(n):
        a = (min(max(values[i], np.float32(1)), _MOST) + np.float32(0.055)) * np.float32(1 / 1.055)
        s, y = a * a, room[i]
        p = y * y * y * y * y
        y = y * (np.float32(2) * p + np.float32(3) * s) / (np.float32(3) * p + np.float32(2) * s)
        p = y * y * y * y * y
        y = y * (np.float32(2) * p + np.float32(3) * s) / (np.float32(3) * p + np.float32(2) * s)
        room[i] = s * y if values[i] > np.float32(1) else np.float32(0)


@njit(nogil=True, cache=True, fastmath=True)
def sine_cosine(x):  # type: ignore[no-untyped-def]
    """Sine and cosine of an angle of at most half pi to either side, off by less than 4e-6: Taylor's series."""
    s = x * x
    sine = x * (
        np.float32(1)
        + s
        * (np.float32(-1 / 6) + s * (np.float32(1 / 120) + s * (np.float32(-1 / 5040) + s * np.float32(1 / 362880))))
    )
    cosine = np.float32(1) + s * (
        np.float32(-1 / 2)
        + s
        * (np.float32(1 / 24) + s * (np.float32(-1 / 720) + s * (np.float32(1 / 40320) - s * np.float32(1 / 3628800))))
    )
    return sine, cosine
