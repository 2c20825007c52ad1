"""The sRGB transfer function and its inverse.

Source: IEC 61966-2-1:1999; the same constants as CSS Color Module Level 4, section 10.2.
"""

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit, prange

F32 = NDArray[np.float32]


def decode_srgb(encoded: NDArray) -> F32:
    """sRGB-encoded values (any shape, 0..1) to linear light, float32. Values below 0 are mirrored."""
    e = np.asarray(encoded, dtype=np.float64)
    a = np.abs(e)
    linear = np.where(a <= 0.04045, a / 12.92, ((a + 0.055) / 1.055) ** 2.4)
    return np.copysign(linear, e).astype(np.float32)


def encode_srgb(linear: NDArray) -> F32:
    """Linear light (any shape, 0..1) to sRGB-encoded values, float32. Values below 0 are mirrored."""
    c = np.asarray(linear, dtype=np.float64)
    a = np.abs(c)
    encoded = np.where(a <= 0.0031308, a * 12.92, 1.055 * a ** (1 / 2.4) - 0.055)
    return np.copysign(encoded, c).astype(np.float32)


#: Linear light of each 8-bit sRGB code: float32, shape (256,).
DECODE_8BIT: F32 = decode_srgb(np.arange(256) / 255.0)
_DECODE_8BIT_HALF = DECODE_8BIT.astype(np.float16)
#: Encoding to 8 bits runs through short straight pieces of the curve: 32 for every power of two from 2^-13 up. Within
#: a piece the line is off by less than 0.002 codes, and both tables stay in the nearest cache.
_PIECE_SHIFT = 18
_PIECE_FIRST = int(np.float32(2.0**-13).view(np.int32)) >> _PIECE_SHIFT


def _encode_pieces() -> tuple[F32, F32]:
    bits = np.arange(_PIECE_FIRST, (int(np.float32(1.0).view(np.int32)) >> _PIECE_SHIFT) + 2) << _PIECE_SHIFT
    ends = bits.astype(np.int32).view(np.float32).astype(np.float64)
    codes = encode_srgb(ends).astype(np.float64) * 255
    slopes = np.diff(codes) / np.diff(ends)
    # The first piece starts at zero, where the curve is a straight line.
    slopes[0], offsets = 12.92 * 255, codes[:-1] - slopes * ends[:-1]
    offsets[0] = 0.0
    return offsets.astype(np.float32), slopes.astype(np.float32)


PIECE_OFFSETS, PIECE_SLOPES = _encode_pieces()


@njit(nogil=True, cache=True, inline="always")
def encode_code(value, bits, offsets, slopes):  # type: ignore[no-untyped-def]
    """8-bit sRGB code of one linear value, with its own bits as int32; clamped. For use inside kernels."""
    piece = (bits >> _PIECE_SHIFT) - _PIECE_FIRST
    last = offsets.size - 2
    piece = min(max(piece, 0), last)
    clamped = min(max(value, np.float32(0.0)), np.float32(1.0))
    return np.uint8(offsets[piece] + slopes[piece] * clamped + np.float32(0.5))


@njit(nogil=True, cache=True, parallel=True)
def _encode_flat(linear, bits, offsets, slopes, out):  # type: ignore[no-untyped-def]
    for block in prange((linear.size + 65535) // 65536):
        for i in range(block * 65536, min(linear.size, (block + 1) * 65536)):
            out[i] = encode_code(linear[i], bits[i], offsets, slopes)


def encode_srgb_8bit(linear: NDArray) -> NDArray[np.uint8]:
    """Linear light (any shape, clamped to 0..1) to 8-bit sRGB codes, rounded to nearest."""
    source = np.ascontiguousarray(linear, dtype=np.float32)
    out = np.empty(source.shape, np.uint8)
    flat = source.reshape(-1)
    _encode_flat(flat, flat.view(np.int32), PIECE_OFFSETS, PIECE_SLOPES, out.reshape(-1))
    return out


def decode_srgb_8bit(codes: NDArray[np.uint8]) -> F32:
    """8-bit sRGB codes (any shape) to linear light, float32 0..1."""
    return looked_up(DECODE_8BIT, codes)


@cache
def decoded_codes(bits: int) -> F32:
    """The linear light of every sRGB code of so many bits (8 or 16), float32 0..1."""
    return (
        DECODE_8BIT if bits == 8 else decode_srgb(np.arange(1 << bits, dtype=np.float32) / np.float32((1 << bits) - 1))
    )


def decode_srgb_8bit_half(codes: NDArray[np.uint8]) -> NDArray[np.float16]:
    """8-bit sRGB codes (any shape) to linear light, half floats 0..1."""
    return looked_up(_DECODE_8BIT_HALF.view(np.uint16), codes).view(np.float16)


def looked_up(table: NDArray, codes: NDArray[np.uint8]) -> NDArray:
    """The value of each code (any shape) in a table of 256; OpenCV is four times as fast as NumPy at it."""
    rows = np.ascontiguousarray(codes).reshape(codes.shape[0] if codes.ndim > 1 else 1, -1)
    return cv2.LUT(rows, table).reshape(codes.shape) if codes.size else np.empty(codes.shape, table.dtype)


@njit(nogil=True, cache=True)
def encode_scalar(c):  # type: ignore[no-untyped-def]
    """sRGB encoding of one non-negative linear value, usable inside kernels."""
    return np.float32(12.92) * c if c <= 0.0031308 else np.float32(1.055) * c ** np.float32(1 / 2.4) - np.float32(0.055)


@njit(nogil=True, cache=True)
def decode_scalar(e):  # type: ignore[no-untyped-def]
    """Linear light of one non-negative encoded value, usable inside kernels."""
    return e / np.float32(12.92) if e <= 0.04045 else ((e + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)


@njit(nogil=True, cache=True)
def encode_signed(c):  # type: ignore[no-untyped-def]
    """`encode_scalar` of any value, mirrored at zero."""
    return encode_scalar(c) if c >= 0 else -encode_scalar(-c)


@njit(nogil=True, cache=True)
def decode_signed(e):  # type: ignore[no-untyped-def]
    """`decode_scalar` of any value, mirrored at zero."""
    return decode_scalar(e) if e >= 0 else -decode_scalar(-e)


#: The same functions as GLSL. Shaders that need an encoding include this text once.
GLSL = """
vec3 ep_encode_srgb(vec3 c) {
    vec3 a = max(c, vec3(0.0));
    return mix(1.055 * pow(a, vec3(1.0 / 2.4)) - 0.055, 12.92 * a, vec3(lessThanEqual(a, vec3(0.0031308))));
}
vec3 ep_decode_srgb(vec3 e) {
    vec3 a = max(e, vec3(0.0));
    return mix(pow((a + 0.055) / 1.055, vec3(2.4)), a / 12.92, vec3(lessThanEqual(a, vec3(0.04045))));
}
"""
