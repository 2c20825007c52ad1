"""Hue shift: turn all hues by an angle, scale their saturation, move their brightness."""

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_signed, encode_signed
from evenpalette.core.color.oklab import LAB_FROM_ROOTS, LMS_FROM_RGB, RGB_FROM_LMS, ROOTS_FROM_LAB
from evenpalette.core.color.yiq import RGB_FROM_YIQ, YIQ_FROM_RGB, hue_shift_matrix
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.affine import apply_affine
from evenpalette.core.recipe.kind import MapInput, Op, Plane, Planes, Prepared, StepKind
from evenpalette.core.values import Input, ValueType

_BLOCK = 256
#: Where hues are turned. Shaders in games do the first two; they differ by 13 to 16 codes on average.
SPACES = ("YIQ", "OKLCh", "YIQ encoded")


@njit(nogil=True, cache=True, fastmath=True)
def _encoded(r, g, b, weight, amount, m, brightness):  # type: ignore[no-untyped-def]
    for i in range(r.size):
        w = weight[i] * amount
        if w == 0:
            continue
        red, green, blue = r[i], g[i], b[i]
        x, y, z = encode_signed(red), encode_signed(green), encode_signed(blue)
        r[i] += (decode_signed(m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + brightness) - red) * w
        g[i] += (decode_signed(m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + brightness) - green) * w
        b[i] += (decode_signed(m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + brightness) - blue) * w


@njit(nogil=True, cache=True, fastmath=True)
def _roots(values, sizes, guesses):  # type: ignore[no-untyped-def]
    """Cube roots in place: a third of the exponent, then one step of Halley's method; at most 0.00003 of them off.

    Each loop is plain enough to be vectorized. sizes, guesses: room for as many values, float32.
    """
    n = values.size
    for i in range(n):
        sizes[i] = abs(values[i])
    bits, thirds = sizes.view(np.int32), guesses.view(np.int32)
    for i in range(n):
        thirds[i] = np.int32(np.float32(bits[i]) * np.float32(1 / 3)) + np.int32(709921077)
    for i in range(n):
        a, y = sizes[i], guesses[i]
        cube = y * y * y
        values[i] = np.copysign(y * (cube + np.float32(2) * a) / (np.float32(2) * cube + a), values[i])


@njit(nogil=True, cache=True, fastmath=True)
def _oklch(r, g, b, weights, to_lms, between, to_rgb, brightness):  # type: ignore[no-untyped-def]
    """All rows in one pass: cone values and their roots are made once for a texel, and what rows make of them is summed
    before it becomes color again. In blocks without a branch inside, so that the compiler vectorizes them; blocks
    without weight are skipped. weights: float32 (rows, n). between: (rows, 3, 3). brightness: (rows,)."""
    room = np.empty((8, _BLOCK), np.float32)
    for start in range(0, r.size, _BLOCK):
        n = min(_BLOCK, r.size - start)
        x, y, z = r[start : start + n], g[start : start + n], b[start : start + n]
        u, v, t, du, dv, dt, sizes, guesses = (
            room[0, :n], room[1, :n], room[2, :n], room[3, :n], room[4, :n], room[5, :n], room[6, :n], room[7, :n],
        )  # fmt: skip
        known = False
        for k in range(weights.shape[0]):
            w = weights[k, start : start + n]
            some = np.float32(0)
            for i in range(n):
                some += w[i]
            if some == 0:
                continue
            if not known:
                known = True
                _to_cones(x, y, z, to_lms, u, v, t)
                for line in (u, v, t):
                    _roots(line, sizes, guesses)
                du[:] = 0
                dv[:] = 0
                dt[:] = 0
                sizes[:] = 0
            _add_turned(u, v, t, w, between[k], brightness[k], du, dv, dt)
            for i in range(n):
                sizes[i] += w[i]
        if known:
            _add_color(du, dv, dt, sizes, to_rgb, x, y, z)


@njit(nogil=True, cache=True, fastmath=True)
def _to_cones(x, y, z, m, u, v, t):  # type: ignore[no-untyped-def]
    p00, p01, p02, p10, p11, p12, p20, p21, p22 = (
        m[0, 0], m[0, 1], m[0, 2], m[1, 0], m[1, 1], m[1, 2], m[2, 0], m[2, 1], m[2, 2],
    )  # fmt: skip
    for i in range(x.size):
        u[i] = p00 * x[i] + p01 * y[i] + p02 * z[i]
    for i in range(x.size):
        v[i] = p10 * x[i] + p11 * y[i] + p12 * z[i]
    for i in range(x.size):
        t[i] = p20 * x[i] + p21 * y[i] + p22 * z[i]


@njit(nogil=True, cache=True, fastmath=True)
def _add_turned(u, v, t, w, m, brightness, du, dv, dt):  # type: ignore[no-untyped-def]
    """Add the cubes of turned roots, times their weight."""
    q00, q01, q02, q10, q11, q12, q20, q21, q22 = (
        m[0, 0], m[0, 1], m[0, 2], m[1, 0], m[1, 1], m[1, 2], m[2, 0], m[2, 1], m[2, 2],
    )  # fmt: skip
    for i in range(u.size):
        k = q00 * u[i] + q01 * v[i] + q02 * t[i] + brightness
        du[i] += k * k * k * w[i]
    for i in range(u.size):
        k = q10 * u[i] + q11 * v[i] + q12 * t[i] + brightness
        dv[i] += k * k * k * w[i]
    for i in range(u.size):
        k = q20 * u[i] + q21 * v[i] + q22 * t[i] + brightness
        dt[i] += k * k * k * w[i]


@njit(nogil=True, cache=True, fastmath=True)
def _add_color(u, v, t, total, m, x, y, z):  # type: ignore[no-untyped-def]
    s00, s01, s02, s10, s11, s12, s20, s21, s22 = (
        m[0, 0], m[0, 1], m[0, 2], m[1, 0], m[1, 1], m[1, 2], m[2, 0], m[2, 1], m[2, 2],
    )  # fmt: skip
    for i in range(x.size):
        x[i] += s00 * u[i] + s01 * v[i] + s02 * t[i] - x[i] * total[i]
    for i in range(x.size):
        y[i] += s10 * u[i] + s11 * v[i] + s12 * t[i] - y[i] * total[i]
    for i in range(x.size):
        z[i] += s20 * u[i] + s21 * v[i] + s22 * t[i] - z[i] * total[i]


def _yiq_matrix(values: Prepared) -> NDArray[np.float32]:
    # Hues turn from red over yellow to green, as in OKLCh and CSS; in the (I, Q) plane that is against the angle.
    return hue_shift_matrix(-float(values["angle"]), float(values["saturation"])).astype(np.float32)


def _affine(values: Prepared) -> NDArray[np.float32] | None:
    if values["space"] != 0 or values["spread"]:
        return None
    offset = np.full((3, 1), values["brightness"], np.float32)
    return np.concatenate([_yiq_matrix(values), offset], 1)


@njit(nogil=True, cache=True, fastmath=True)
def _offset_by(  # type: ignore[no-untyped-def]
    r, g, b, weight, amount, offset, spread, angle, saturation, brightness, before, to, back, after, encoded, cubed
):
    """Each texel by an angle of its own. before, to: into the plane of hue, cube roots between them where `cubed`;
    back, after: out of it. encoded: on encoded values."""
    for i in range(r.size):
        w = weight[i] * amount
        if w == 0:
            continue
        x, y, z = r[i], g[i], b[i]
        if encoded:
            x, y, z = encode_signed(x), encode_signed(y), encode_signed(z)
        if cubed:
            p = before[0, 0] * x + before[0, 1] * y + before[0, 2] * z
            q = before[1, 0] * x + before[1, 1] * y + before[1, 2] * z
            s = before[2, 0] * x + before[2, 1] * y + before[2, 2] * z
            third = np.float32(1 / 3)
            x, y, z = np.copysign(abs(p) ** third, p), np.copysign(abs(q) ** third, q), np.copysign(abs(s) ** third, s)
        level = to[0, 0] * x + to[0, 1] * y + to[0, 2] * z + brightness
        u = to[1, 0] * x + to[1, 1] * y + to[1, 2] * z
        v = to[2, 0] * x + to[2, 1] * y + to[2, 2] * z
        turn = angle + (offset[i] * 2 - 1) * spread
        cos, sin = np.cos(turn) * saturation, np.sin(turn) * saturation
        u, v = u * cos - v * sin, v * cos + u * sin
        x = back[0, 0] * level + back[0, 1] * u + back[0, 2] * v
        y = back[1, 0] * level + back[1, 1] * u + back[1, 2] * v
        z = back[2, 0] * level + back[2, 1] * u + back[2, 2] * v
        if cubed:
            p, q, s = x * x * x, y * y * y, z * z * z
            x = after[0, 0] * p + after[0, 1] * q + after[0, 2] * s
            y = after[1, 0] * p + after[1, 1] * q + after[1, 2] * s
            z = after[2, 0] * p + after[2, 1] * q + after[2, 2] * s
        if encoded:
            x, y, z = decode_signed(x), decode_signed(y), decode_signed(z)
        r[i] += (x - r[i]) * w
        g[i] += (y - g[i]) * w
        b[i] += (z - b[i]) * w


def _by_texel(r: Plane, g: Plane, b: Plane, weight: Plane, amount: np.float32, values: Prepared, offset: Plane) -> None:
    f, space = np.float32, int(values["space"])
    # In (I, Q) hues turn against the angle, see `_yiq_matrix`.
    sense = 1.0 if space == 1 else -1.0
    to, back = (LAB_FROM_ROOTS, ROOTS_FROM_LAB) if space == 1 else (YIQ_FROM_RGB, RGB_FROM_YIQ)
    _offset_by(
        r, g, b, weight, amount, offset, f(sense * np.radians(float(values["spread"]))), f(sense * np.radians(float(values["angle"]))),
        f(values["saturation"]), f(values["brightness"]), LMS_FROM_RGB.astype(f), to.astype(f), back.astype(f), RGB_FROM_LMS.astype(f),
        space == 2, space == 1,
    )  # fmt: skip


def _run(planes: Planes, weight: Plane, amount: float, values: Prepared, reads: Mapping[str, Planes]) -> None:
    r, g, b = planes
    f, brightness = np.float32, np.float32(values["brightness"])
    if values["spread"]:
        _by_texel(r, g, b, weight, f(amount), values, reads["offset"][0])
        return
    if values["space"] == 0:
        matrix = _affine(values)
        assert matrix is not None
        apply_affine((r, g, b), (weight * f(amount))[None], matrix[None])
        return
    if values["space"] == 2:
        _encoded(r, g, b, weight, f(amount), _yiq_matrix(values), brightness)
        return
    _turned_together((r, g, b), (weight * f(amount))[None], [values])


def _together(planes: Planes, weights: NDArray[np.float32], rows: Sequence[Prepared]) -> bool:
    """All rows in one pass, where all turn in OKLCh and none by a texture."""
    if any(values["space"] != 1 or values["spread"] for values in rows):
        return False
    _turned_together(planes, weights, rows)
    return True


def _turned_together(planes: Planes, weights: NDArray[np.float32], rows: Sequence[Prepared]) -> None:
    f, between = np.float32, []
    for values in rows:
        angle, saturation = np.radians(float(values["angle"])), float(values["saturation"])
        c, s = np.cos(angle) * saturation, np.sin(angle) * saturation
        # Lightness has weight 1 in all three roots, so the brightness can be added to each of them.
        between.append(ROOTS_FROM_LAB @ np.array([[1, 0, 0], [0, c, -s], [0, s, c]]) @ LAB_FROM_ROOTS)
    brightness = np.array([values["brightness"] for values in rows], f)
    r, g, b = planes
    _oklch(r, g, b, weights, LMS_FROM_RGB.astype(f), np.stack(between).astype(f), RGB_FROM_LMS.astype(f), brightness)


_GLSL = """
vec3 ep_hue_shift_base_color(vec3 c, float angle, float saturation, float brightness, int space, float spread, float offset) {
    float turn = radians(angle + (offset * 2.0 - 1.0) * spread);
    float x = cos(turn) * saturation, y = sin(turn) * saturation;
    if (space != 1) {
        vec3 yiq = EP_YIQ_FROM_RGB * (space == 2 ? sign(c) * ep_encode_srgb(abs(c)) : c);
        vec3 turned = EP_RGB_FROM_YIQ * vec3(yiq.x + brightness, x * yiq.y + y * yiq.z, x * yiq.z - y * yiq.y);
        return space == 2 ? sign(turned) * ep_decode_srgb(abs(turned)) : turned;
    }
    vec3 lab = ep_oklab(c);
    return ep_from_oklab(vec3(lab.x + brightness, x * lab.y - y * lab.z, y * lab.y + x * lab.z));
}
"""

KIND = StepKind(
    key="hue_shift",
    label="Hue shift",
    summary="Turn all hues by an angle",
    inputs=(
        Input("angle", "Angle", ValueType.NUMBER, 0.0, -180.0, 180.0, "°"),
        Input("saturation", "Saturation", ValueType.NUMBER, 1.0, 0.0, 2.0),
        Input("brightness", "Brightness", ValueType.NUMBER, 0.0, -0.5, 0.5),
        Input(
            "space",
            "Space",
            ValueType.CHOICE,
            "YIQ",
            choices=SPACES,
            description="YIQ is cheap and works on linear light, or on encoded values as many shaders do; OKLCh keeps lightness",
        ),
        Input(
            "spread",
            "By texture",
            ValueType.NUMBER,
            0.0,
            -180.0,
            180.0,
            "°",
            description="How far the texture turns hues to either side",
        ),
    ),
    maps=(
        MapInput(
            "offset",
            "Offsets",
            (0.5,),
            "Black turns hues back, white on, the middle is none",
            roles=("other data", "pattern", "mask"),
            needed=False,
        ),
    ),
    ops=(
        Op(
            "base_color",
            _run,
            _GLSL,
            ("angle", "saturation", "brightness", "space", "spread", "offset"),
            affine=_affine,
            together=_together,
            shared=("encoding", "oklab", "yiq"),
        ),
    ),
    examples=(
        {"angle": 75.0, "saturation": 1.3, "brightness": 0.05, "space": "YIQ"},
        {"angle": -110.0, "saturation": 0.8, "brightness": -0.04, "space": "OKLCh"},
        {"angle": 50.0, "saturation": 1.1, "brightness": 0.02, "space": "YIQ encoded"},
        {"angle": 20.0, "saturation": 1.2, "brightness": 0.02, "space": "YIQ", "spread": 90.0},
        {"angle": -30.0, "saturation": 0.9, "space": "OKLCh", "spread": 60.0},
        {"angle": 10.0, "space": "YIQ encoded", "spread": -40.0},
    ),
    formula="(I, Q) or (a, b) turned by angle + (2 t - 1) spread, red to yellow to green, and scaled by saturation; Y or L moved by brightness",
    source="NTSC (FCC 1953) matrices, on linear light or on IEC 61966-2-1 values; OKLab: B. Ottosson 2020, matrices of CSS Color Module Level 4",
    order=30,
    words="rotate hue saturation",
)
