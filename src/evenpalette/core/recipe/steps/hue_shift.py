"""Hue shift: turn all hues by an angle, scale their saturation, move their brightness."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_signed, encode_signed
from evenpalette.core.color.oklab import LAB_FROM_ROOTS, LMS_FROM_RGB, RGB_FROM_LMS, ROOTS_FROM_LAB
from evenpalette.core.color.yiq import RGB_FROM_YIQ, YIQ_FROM_RGB, hue_shift_matrix
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import (
    BLOCK,
    NONE,
    Block,
    RowsBlock,
    line,
    numbers,
    row_count,
    row_has,
    row_weight,
    three,
)
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType

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


# Blocks lie in one array at fixed distances, so that the compiler knows that nothing overlaps.
_GUESS, _SUM, _TOTAL = 3 * BLOCK, 6 * BLOCK, 9 * BLOCK


@njit(nogil=True, cache=True, fastmath=True)
def _turned(at, start, n):  # type: ignore[no-untyped-def]
    """All rows in one pass: cone values and their roots are made once for a texel, and what rows make of them is summed
    before it becomes color again. Lines: red, green, blue. Numbers: how many rows, the matrix to cone values, that from
    their cubes to color, then for each row its brightness and its matrix between roots."""
    rows = row_count(at, 3)
    v = numbers(at, 19 + 10 * rows)
    room = np.empty(10 * BLOCK, np.float32)
    x, y, z = line(at, 0, start, n), line(at, 1, start, n), line(at, 2, start, n)
    known = False
    for k in range(rows):
        if row_has(at, 3, k) == NONE:
            continue
        if not known:
            known = True
            _to_roots(x, y, z, v, room)
            for i in range(_SUM, 10 * BLOCK):
                room[i] = 0
        _add_turned(room, row_weight(at, 3, k, start, n), v, 19 + 10 * k)
    if known:
        _add_color(room, x, y, z, v)


@njit(nogil=True, cache=True, fastmath=True)
def _to_roots(x, y, z, m, room):  # type: ignore[no-untyped-def]
    """Cube roots of cone values: a third of the exponent, then one step of Halley's method; at most 0.00003 of them
    off."""
    n = x.size
    for i in range(n):
        room[i] = m[1] * x[i] + m[2] * y[i] + m[3] * z[i]
    for i in range(n):
        room[i + BLOCK] = m[4] * x[i] + m[5] * y[i] + m[6] * z[i]
    for i in range(n):
        room[i + 2 * BLOCK] = m[7] * x[i] + m[8] * y[i] + m[9] * z[i]
    bits = room.view(np.int32)
    for i in range(3 * BLOCK):
        bits[i + _GUESS] = np.int32(np.float32(bits[i] & 0x7FFFFFFF) * np.float32(1 / 3)) + np.int32(709921077)
    for i in range(3 * BLOCK):
        a, y = abs(room[i]), room[i + _GUESS]
        cube = y * y * y
        room[i] = np.copysign(y * (cube + np.float32(2) * a) / (np.float32(2) * cube + a), room[i])


@njit(nogil=True, cache=True, fastmath=True)
def _add_turned(room, w, m, f):  # type: ignore[no-untyped-def]
    """Add the cubes of turned roots, times their weight."""
    light = m[f]
    q00, q01, q02, q10, q11, q12, q20, q21, q22 = (
        m[f + 1], m[f + 2], m[f + 3], m[f + 4], m[f + 5], m[f + 6], m[f + 7], m[f + 8], m[f + 9],
    )  # fmt: skip
    for i in range(w.size):
        u, v, t, share = room[i], room[i + BLOCK], room[i + 2 * BLOCK], w[i]
        a = q00 * u + q01 * v + q02 * t + light
        b = q10 * u + q11 * v + q12 * t + light
        c = q20 * u + q21 * v + q22 * t + light
        room[i + _SUM] += a * a * a * share
        room[i + _SUM + BLOCK] += b * b * b * share
        room[i + _SUM + 2 * BLOCK] += c * c * c * share
        room[i + _TOTAL] += share


@njit(nogil=True, cache=True, fastmath=True)
def _add_color(room, x, y, z, m):  # type: ignore[no-untyped-def]
    n = x.size
    for i in range(n):
        u, v, t = room[i + _SUM], room[i + _SUM + BLOCK], room[i + _SUM + 2 * BLOCK]
        room[i] = m[10] * u + m[11] * v + m[12] * t
        room[i + BLOCK] = m[13] * u + m[14] * v + m[15] * t
        room[i + 2 * BLOCK] = m[16] * u + m[17] * v + m[18] * t
    for i in range(n):
        x[i] += room[i] - x[i] * room[i + _TOTAL]
    for i in range(n):
        y[i] += room[i + BLOCK] - y[i] * room[i + _TOTAL]
    for i in range(n):
        z[i] += room[i + 2 * BLOCK] - z[i] * room[i + _TOTAL]


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


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    """Rows apart: turned by a texture, on encoded values, or in spaces of their own."""
    r, g, b = three(at, 0, start, n)
    weight, offset = line(at, 3, start, n), line(at, 4, start, n)
    v = numbers(at, 51)
    before, to, back, after = v[6:15], v[15:24], v[24:33], v[33:42]
    space = np.int64(v[5])
    if v[1] == 0 and space == 2:
        _encoded(r, g, b, weight, v[0], v[42:51].reshape(3, 3), v[4])
    else:
        _offset_by(
            r, g, b, weight, v[0], offset, v[1], v[2], v[3], v[4], before.reshape(3, 3), to.reshape(3, 3), back.reshape(3, 3),
            after.reshape(3, 3), space == 2, space == 1,
        )  # fmt: skip


def _numbers(values: Prepared) -> list[float]:
    space = int(values["space"])
    # In (I, Q) hues turn against the angle, see `_yiq_matrix`.
    sense = 1.0 if space == 1 else -1.0
    to, back = (LAB_FROM_ROOTS, ROOTS_FROM_LAB) if space == 1 else (YIQ_FROM_RGB, RGB_FROM_YIQ)
    matrices = (LMS_FROM_RGB, to, back, RGB_FROM_LMS, _yiq_matrix(values))
    angles = (sense * np.radians(float(values[key])) for key in ("spread", "angle"))
    return [*angles, values["saturation"], values["brightness"], space, *np.concatenate(matrices).reshape(-1)]


def _fits(rows: Sequence[Prepared]) -> bool:
    """Whether all turn in OKLCh and none by a texture."""
    return all(values["space"] == 1 and not values["spread"] for values in rows)


def _together(rows: Sequence[Prepared], _: Sequence[float]) -> list[float]:
    given = [len(rows), *LMS_FROM_RGB.reshape(-1), *RGB_FROM_LMS.reshape(-1)]
    for values in rows:
        angle, saturation = np.radians(float(values["angle"])), float(values["saturation"])
        c, s = np.cos(angle) * saturation, np.sin(angle) * saturation
        # Lightness has weight 1 in all three roots, so the brightness can be added to each of them.
        between = ROOTS_FROM_LAB @ np.array([[1, 0, 0], [0, c, -s], [0, s, c]]) @ LAB_FROM_ROOTS
        given += [values["brightness"], *between.reshape(-1)]
    return given


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
            Block(_block, _numbers, (("offset", 1),)),
            _GLSL,
            ("angle", "saturation", "brightness", "space", "spread", "offset"),
            affine=_affine,
            together=RowsBlock(_turned, _together, _fits),
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
