"""OKLab and OKLCh.

Source: B. Ottosson, "A perceptual color space for image processing" (2020), with the matrices of the
sample code of CSS Color Module Level 4 (recomputed there for consistent D65 white).
"""

import math

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32

_XYZ_FROM_RGB = np.array(
    [
        [506752 / 1228815, 87881 / 245763, 12673 / 70218],
        [87098 / 409605, 175762 / 245763, 12673 / 175545],
        [7918 / 409605, 87881 / 737289, 1001167 / 1053270],
    ]
)
_LMS_FROM_XYZ = np.array(
    [
        [0.8190224379967030, 0.3619062600528904, -0.1288737815209879],
        [0.0329836539323885, 0.9292868615863434, 0.0361446663506424],
        [0.0481771893596242, 0.2642395317527308, 0.6335478284694309],
    ]
)
LMS_FROM_RGB: NDArray[np.float64] = _LMS_FROM_XYZ @ _XYZ_FROM_RGB
LAB_FROM_ROOTS: NDArray[np.float64] = np.array(
    [
        [0.2104542683093140, 0.7936177747023054, -0.0040720430116193],
        [1.9779985324311684, -2.4285922420485799, 0.4505937096174110],
        [0.0259040424655478, 0.7827717124575296, -0.8086757549230774],
    ]
)
RGB_FROM_LMS: NDArray[np.float64] = np.linalg.inv(LMS_FROM_RGB).astype(np.float64)
ROOTS_FROM_LAB: NDArray[np.float64] = np.linalg.inv(LAB_FROM_ROOTS).astype(np.float64)


def glsl_matrix(name: str, matrix: NDArray) -> str:
    """A GLSL constant; GLSL matrices are written column by column."""
    return f"const mat3 {name} = mat3({', '.join(f'{v:.9f}' for v in matrix.T.reshape(-1))});\n"


#: The matrices for shader text, and both ways: `vec3 ep_oklab(vec3 linear)`, `vec3 ep_from_oklab(vec3 lab)`.
GLSL = (
    glsl_matrix("EP_LMS_FROM_RGB", LMS_FROM_RGB)
    + glsl_matrix("EP_RGB_FROM_LMS", RGB_FROM_LMS)
    + glsl_matrix("EP_LAB_FROM_ROOTS", LAB_FROM_ROOTS)
    + glsl_matrix("EP_ROOTS_FROM_LAB", ROOTS_FROM_LAB)
    + """vec3 ep_oklab(vec3 linear) {
    vec3 lms = EP_LMS_FROM_RGB * linear;
    return EP_LAB_FROM_ROOTS * (sign(lms) * pow(abs(lms), vec3(1.0 / 3.0)));
}
vec3 ep_from_oklab(vec3 lab) {
    vec3 roots = EP_ROOTS_FROM_LAB * lab;
    return EP_RGB_FROM_LMS * (roots * roots * roots);
}
"""
)


def linear_to_oklab(linear: NDArray) -> F32:
    """Linear Rec. 709 (..., 3) to OKLab (..., 3): L 0..1, a and b about -0.4..0.4; float32."""
    lms = np.asarray(linear, np.float64) @ LMS_FROM_RGB.T
    return (np.cbrt(lms) @ LAB_FROM_ROOTS.T).astype(np.float32)


def oklab_to_linear(lab: NDArray) -> F32:
    """OKLab (..., 3) to linear Rec. 709 (..., 3); outside 0..1 where the color is out of gamut; float32."""
    roots = np.asarray(lab, np.float64) @ ROOTS_FROM_LAB.T
    return (roots**3 @ RGB_FROM_LMS.T).astype(np.float32)


def oklab_to_oklch(lab: NDArray) -> F32:
    """OKLab to (lightness 0..1, chroma 0.., hue in degrees 0..360); float32."""
    lab = np.asarray(lab, np.float64)
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    hue = np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) % 360
    return np.stack([lab[..., 0], chroma, np.where(chroma < 1e-6, 0.0, hue)], -1).astype(np.float32)


def oklch_to_oklab(lch: NDArray) -> F32:
    """(lightness, chroma, hue in degrees) to OKLab; float32."""
    lch = np.asarray(lch, np.float64)
    angle = np.radians(lch[..., 2])
    return np.stack([lch[..., 0], lch[..., 1] * np.cos(angle), lch[..., 1] * np.sin(angle)], -1).astype(np.float32)


def oklch_to_linear_in_gamut(lch: NDArray) -> F32:
    """One OKLCh color (3,) to linear light, giving up chroma (bisection) until it fits into 0..1."""
    lightness, chroma, hue = (float(v) for v in lch)
    angle = math.radians(hue)
    # Plain numbers: arrays of three cost twenty times as much.
    gray = [lightness * float(row[0]) for row in ROOTS_FROM_LAB]
    away = [float(row[1]) * math.cos(angle) + float(row[2]) * math.sin(angle) for row in ROOTS_FROM_LAB]
    weights: list[list[float]] = RGB_FROM_LMS.tolist()

    def shown(chroma: float) -> list[float]:
        l, m, s = ((g + a * chroma) ** 3 for g, a in zip(gray, away, strict=True))  # noqa: E741
        return [r * l + g * m + b * s for r, g, b in weights]

    def fits(rgb: list[float]) -> bool:
        return min(rgb) >= -1e-4 and max(rgb) <= 1 + 1e-4

    low, high = 0.0, chroma
    rgb = shown(chroma)
    if not fits(rgb):
        for _ in range(24):
            middle = (low + high) / 2
            low, high = (middle, high) if fits(shown(middle)) else (low, middle)
        rgb = shown(low)
    return np.clip(np.array(rgb, np.float32), 0, 1)
