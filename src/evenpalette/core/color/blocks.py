"""The sRGB curve for many values at once, in loops plain enough that the compiler vectorizes them. For use in kernels.

Powers are taken by roots: x^(1/2.4) = x^(1/4) sqrt(cbrt(x)) and x^2.4 = x^2 (x^2)^(1/5), the roots from a guess by the
exponent and two steps of Halley's method. Off by a few units in the last place from IEC 61966-2-1.
"""

import numpy as np

from evenpalette.core.kernels import njit

#: Texels that are worked on together; room for them is float32 (BLOCK,).
BLOCK = 512
_THIRD, _FIFTH = np.float32(1 / 3), np.float32(1 / 5)
#: (1 - 1/n) times the bits of 1, a little less: what makes the guess's error even.
_THIRD_OF, _FIFTH_OF = np.int32(709921077), np.int32(851981000)
#: Brighter light is taken as this, so that no power overflows, and dimmer as that, so that none is denormal, which is
#: slow.
_MOST, _LEAST = np.float32(1e6), np.float32(1e-12)


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
    """Decode encoded values in place; those below 0 become 0. room: as many values, float32."""
    n = values.size
    squares = room
    for i in range(n):
        values[i] = min(max(values[i], np.float32(0)), _MOST)
        a = (values[i] + np.float32(0.055)) * np.float32(1 / 1.055)
        squares[i] = a * a
    bits = squares.view(np.int32)
    for i in range(n):
        # The guess takes the place of the square's bits, the square comes again from the value.
        bits[i] = np.int32(np.float32(bits[i]) * _FIFTH) + _FIFTH_OF
    for i in range(n):
        a = (values[i] + np.float32(0.055)) * np.float32(1 / 1.055)
        s, y = a * a, squares[i]
        p = y * y * y * y * y
        y = y * (np.float32(2) * p + np.float32(3) * s) / (np.float32(3) * p + np.float32(2) * s)
        p = y * y * y * y * y
        y = y * (np.float32(2) * p + np.float32(3) * s) / (np.float32(3) * p + np.float32(2) * s)
        values[i] = values[i] * np.float32(1 / 12.92) if values[i] <= np.float32(0.04045) else s * y


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
