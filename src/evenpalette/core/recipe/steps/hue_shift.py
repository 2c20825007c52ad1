"""Hue shift: turn all hues by an angle, scale their saturation, move their brightness."""

from collections.abc import Mapping

import numpy as np
from numba import njit

from evenpalette.core.color.oklab import LAB_FROM_ROOTS, LMS_FROM_RGB, RGB_FROM_LMS, ROOTS_FROM_LAB
from evenpalette.core.color.yiq import RGB_FROM_YIQ, YIQ_FROM_RGB, hue_shift_matrix
from evenpalette.core.recipe.kind import Input, Plane, Prepared, StepKind
from evenpalette.core.recipe.parameters import ValueType

SPACES = ("YIQ", "OKLCh")


@njit(nogil=True, cache=True, fastmath=True)
def _matrix(r, g, b, weight, amount, m, brightness):  # type: ignore[no-untyped-def]
    m00, m01, m02 = m[0, 0], m[0, 1], m[0, 2]
    m10, m11, m12 = m[1, 0], m[1, 1], m[1, 2]
    m20, m21, m22 = m[2, 0], m[2, 1], m[2, 2]
    for i in range(r.size):
        w = weight[i] * amount
        red, green, blue = r[i], g[i], b[i]
        r[i] = red + (m00 * red + m01 * green + m02 * blue + brightness - red) * w
        g[i] = green + (m10 * red + m11 * green + m12 * blue + brightness - green) * w
        b[i] = blue + (m20 * red + m21 * green + m22 * blue + brightness - blue) * w


@njit(nogil=True, cache=True, fastmath=True)
def _oklch(r, g, b, weight, amount, to_lms, between, to_rgb, brightness):  # type: ignore[no-untyped-def]
    for i in range(r.size):
        w = weight[i] * amount
        if w == 0:
            continue
        red, green, blue = r[i], g[i], b[i]
        l0 = np.cbrt(to_lms[0, 0] * red + to_lms[0, 1] * green + to_lms[0, 2] * blue)
        l1 = np.cbrt(to_lms[1, 0] * red + to_lms[1, 1] * green + to_lms[1, 2] * blue)
        l2 = np.cbrt(to_lms[2, 0] * red + to_lms[2, 1] * green + to_lms[2, 2] * blue)
        k0 = between[0, 0] * l0 + between[0, 1] * l1 + between[0, 2] * l2 + brightness
        k1 = between[1, 0] * l0 + between[1, 1] * l1 + between[1, 2] * l2 + brightness
        k2 = between[2, 0] * l0 + between[2, 1] * l1 + between[2, 2] * l2 + brightness
        k0, k1, k2 = k0 * k0 * k0, k1 * k1 * k1, k2 * k2 * k2
        r[i] = red + (to_rgb[0, 0] * k0 + to_rgb[0, 1] * k1 + to_rgb[0, 2] * k2 - red) * w
        g[i] = green + (to_rgb[1, 0] * k0 + to_rgb[1, 1] * k1 + to_rgb[1, 2] * k2 - green) * w
        b[i] = blue + (to_rgb[2, 0] * k0 + to_rgb[2, 1] * k1 + to_rgb[2, 2] * k2 - blue) * w


def _run(r: Plane, g: Plane, b: Plane, weight: Plane, amount: float, values: Prepared, _: Mapping[str, Plane]) -> None:
    angle, saturation = float(values["angle"]), float(values["saturation"])
    brightness = np.float32(values["brightness"])
    if values["space"] == 0:
        matrix = hue_shift_matrix(angle, saturation).astype(np.float32)
        _matrix(r, g, b, weight, np.float32(amount), matrix, brightness)
        return
    c, s = np.cos(np.radians(angle)) * saturation, np.sin(np.radians(angle)) * saturation
    # Lightness has weight 1 in all three roots, so the brightness can be added to each of them.
    between = ROOTS_FROM_LAB @ np.array([[1, 0, 0], [0, c, -s], [0, s, c]]) @ LAB_FROM_ROOTS
    f = np.float32
    _oklch(r, g, b, weight, f(amount), LMS_FROM_RGB.astype(f), between.astype(f), RGB_FROM_LMS.astype(f), brightness)


def _rows(name: str, matrix: np.ndarray) -> str:
    """A GLSL constant; GLSL matrices are written column by column."""
    return f"const mat3 {name} = mat3({', '.join(f'{v:.9f}' for v in matrix.T.reshape(-1))});\n"


KIND = StepKind(
    key="hue_shift",
    label="Hue shift",
    summary="Turn all hues by an angle",
    inputs=(
        Input("angle", "Angle", ValueType.NUMBER, 0.0, -180.0, 180.0, "°"),
        Input("saturation", "Saturation", ValueType.NUMBER, 1.0, 0.0, 2.0),
        Input("brightness", "Brightness", ValueType.NUMBER, 0.0, -0.5, 0.5),
        Input(
            "space", "Space", ValueType.CHOICE, "YIQ", choices=SPACES, description="YIQ is cheap; OKLCh keeps lightness"
        ),
    ),
    kernel=_run,
    glsl=_rows("EP_YIQ_FROM_RGB", YIQ_FROM_RGB)
    + _rows("EP_RGB_FROM_YIQ", RGB_FROM_YIQ)
    + _rows("EP_LMS_FROM_RGB", LMS_FROM_RGB)
    + _rows("EP_RGB_FROM_LMS", RGB_FROM_LMS)
    + _rows("EP_LAB_FROM_ROOTS", LAB_FROM_ROOTS)
    + _rows("EP_ROOTS_FROM_LAB", ROOTS_FROM_LAB)
    + """
vec3 ep_hue_shift(vec3 c, float angle, float saturation, float brightness, int space) {
    float x = cos(radians(angle)) * saturation, y = sin(radians(angle)) * saturation;
    if (space == 0) {
        vec3 yiq = EP_YIQ_FROM_RGB * c;
        return EP_RGB_FROM_YIQ * vec3(yiq.x + brightness, x * yiq.y - y * yiq.z, y * yiq.y + x * yiq.z);
    }
    vec3 lms = EP_LMS_FROM_RGB * c;
    vec3 lab = EP_LAB_FROM_ROOTS * (sign(lms) * pow(abs(lms), vec3(1.0 / 3.0)));
    vec3 roots = EP_ROOTS_FROM_LAB * vec3(lab.x + brightness, x * lab.y - y * lab.z, y * lab.y + x * lab.z);
    return EP_RGB_FROM_LMS * (roots * roots * roots);
}
""",
    formula="(I, Q) or (a, b) turned by angle and scaled by saturation; Y or L moved by brightness; on linear light",
    source="NTSC (FCC 1953) matrices; OKLab: B. Ottosson 2020, matrices of CSS Color Module Level 4",
    order=30,
)
