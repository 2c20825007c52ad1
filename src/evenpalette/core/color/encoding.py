"""The sRGB transfer function and its inverse.

Source: IEC 61966-2-1:1999; the same constants as CSS Color Module Level 4, section 10.2.
"""

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit, prange

F32 = NDArray[np.float32]


def decode_precisely(encoded: NDArray) -> NDArray[np.float64]:
    """`decode_srgb` in float64: for numbers that are written as text."""
    e = np.asarray(encoded, dtype=np.float64)
    a = np.abs(e)
    return np.copysign(np.where(a <= 0.04045, a / 12.92, ((a + 0.055) / 1.055) ** 2.4), e)


def decode_srgb(encoded: NDArray) -> F32:
    """sRGB-encoded values (any shape, 0..1) to linear light, float32. Values below 0 are mirrored."""
    return decode_precisely(encoded).astype(np.float32)


def encode_srgb(linear: NDArray) -> F32:
    """Linear light (any shape, 0..1) to sRGB-encoded values, float32. Values below 0 are mirrored."""
    c = np.asarray(linear, dtype=np.float64)
    a = np.abs(c)
    encoded = np.where(a <= 0.0031308, a * 12.92, 1.055 * a ** (1 / 2.4) - 0.055)
    return np.copysign(encoded, c).astype(np.float32)


#: Linear light of each 8-bit sRGB code: float32, shape (256,).
DECODE_8BIT: F32 = decode_srgb(np.arange(256) / 255.0)
_DECODE_8BIT_HALF = DECODE_8BIT.astype(np.float16)
#: The encoded value by a polynomial in the fourth root of linear light, fitted at Chebyshev's places: off by at most
#: 0.000001. Below the curve's straight part its line.
_E0, _E1, _E2, _E3, _E4, _E5, _E6, _E7 = (
    np.float32(k)
    for k in (-0.05844659, 0.12357590, 1.46152579, -1.15589601, 1.20915105, -0.89841388, 0.39471384, -0.07621042)
)
#: Texels that are worked on together: their codes stay in the first cache.
BLOCK = 1024
#: Values that one thread takes at a time.
_PART = 65536


@njit(nogil=True, cache=True, fastmath=True)
def encoded_unit(linear):  # type: ignore[no-untyped-def]
    """The encoded value of a linear one, clamped to 0..1, float32: off by at most 0.000001. For use inside loops of
    kernels, of which the compiler does several turns at once."""
    value = min(max(linear, np.float32(0)), np.float32(1))
    t = np.sqrt(np.sqrt(value))
    bent = _E0 + t * (_E1 + t * (_E2 + t * (_E3 + t * (_E4 + t * (_E5 + t * (_E6 + t * _E7))))))
    return np.float32(12.92) * value if value <= np.float32(0.0031308) else bent


@njit(nogil=True, cache=True, fastmath=True)
def encode_codes(linear, codes):  # type: ignore[no-untyped-def]
    """8-bit sRGB codes, int32, of as many linear values, float32; clamped, rounded to nearest. For use inside
    kernels."""
    for i in range(linear.size):
        codes[i] = np.int32(encoded_unit(linear[i]) * np.float32(255) + np.float32(0.5))


@njit(nogil=True, cache=True)
def _encode_part(linear, out, first, end):  # type: ignore[no-untyped-def]
    codes = np.empty(BLOCK, np.int32)
    for start in range(first, end, BLOCK):
        n = min(BLOCK, end - start)
        encode_codes(linear[start : start + n], codes)
        for i in range(n):
            out[start + i] = np.uint8(codes[i])


@njit(nogil=True, cache=True, parallel=True)
def _encode_flat(linear, out):  # type: ignore[no-untyped-def]
    for part in prange((linear.size + _PART - 1) // _PART):
        _encode_part(linear, out, part * _PART, min(linear.size, (part + 1) * _PART))


def encode_srgb_8bit(linear: NDArray) -> NDArray[np.uint8]:
    """Linear light (any shape, clamped to 0..1) to 8-bit sRGB codes, rounded to nearest."""
    source = np.ascontiguousarray(linear, dtype=np.float32)
    out = np.empty(source.shape, np.uint8)
    if source.size <= _PART:
        # To wake threads for a few values takes longer than the values.
        _encode_part(source.reshape(-1), out.reshape(-1), 0, source.size)
    else:
        _encode_flat(source.reshape(-1), out.reshape(-1))
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


def encoded_glsl(light: str) -> str:
    """The curve of `encode_srgb` as an expression of GLSL: of a vec3 that is not below 0."""
    bent, straight = f"1.055 * pow({light}, vec3(1.0 / 2.4)) - 0.055", f"12.92 * {light}"
    return f"mix({bent}, {straight}, vec3(lessThanEqual({light}, vec3(0.0031308))))"


def with_encoding(text: str) -> str:
    """A text of ours with the curve of c, written there as @ENCODED@, put in."""
    return text.replace("@ENCODED@", encoded_glsl("c"))


#: The same functions as GLSL. Shaders that need an encoding include this text once.
GLSL = f"""
vec3 ep_encode_srgb(vec3 c) {{
    vec3 a = max(c, vec3(0.0));
    return {encoded_glsl("a")};
}}
vec3 ep_decode_srgb(vec3 e) {{
    vec3 a = max(e, vec3(0.0));
    return mix(pow((a + 0.055) / 1.055, vec3(2.4)), a / 12.92, vec3(lessThanEqual(a, vec3(0.04045))));
}}
"""
