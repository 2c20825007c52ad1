"""Blend: a color or a texture laid by a blend mode of the W3C, in linear light or on encoded values."""

import numpy as np

from evenpalette.core.color.encoding import decode_scalar, encode_scalar
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers, three
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType

MODES = (
    "Normal", "Multiply", "Screen", "Overlay", "Darken", "Lighten", "Color dodge", "Color burn", "Hard light", "Soft light", "Difference",
    "Exclusion", "Hue", "Saturation", "Color", "Luminosity",
)  # fmt: skip
SPACES = ("Encoded values", "Linear light")
_SEPARABLE = 12


@njit(nogil=True, cache=True, fastmath=True)
def _one(b, s, mode):  # type: ignore[no-untyped-def]
    one, two = np.float32(1), np.float32(2)
    if mode == 1:
        return b * s
    if mode == 2:
        return b + s - b * s
    if mode == 3 or mode == 8:
        top, low = (b, s) if mode == 3 else (s, b)
        return two * top * low if top <= np.float32(0.5) else one - two * (one - top) * (one - low)
    if mode == 4:
        return min(b, s)
    if mode == 5:
        return max(b, s)
    if mode == 6:
        return np.float32(0) if b <= 0 else one if s >= 1 else min(one, b / (one - s))
    if mode == 7:
        return one if b >= 1 else np.float32(0) if s <= 0 else one - min(one, (one - b) / s)
    if mode == 9:
        if s <= np.float32(0.5):
            return b - (one - two * s) * b * (one - b)
        d = ((np.float32(16) * b - np.float32(12)) * b + np.float32(4)) * b if b <= np.float32(0.25) else np.sqrt(b)
        return b + (two * s - one) * (d - b)
    if mode == 10:
        return abs(b - s)
    if mode == 11:
        return b + s - two * b * s
    return s


@njit(nogil=True, cache=True, fastmath=True)
def _lum(r, g, b):  # type: ignore[no-untyped-def]
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@njit(nogil=True, cache=True, fastmath=True)
def _set_lum(r, g, b, light):  # type: ignore[no-untyped-def]
    d = light - _lum(r, g, b)
    r, g, b = r + d, g + d, b + d
    mean, low, high = _lum(r, g, b), min(r, g, b), max(r, g, b)
    if low < 0:
        scale = mean / max(mean - low, np.float32(1e-7))
        r, g, b = mean + (r - mean) * scale, mean + (g - mean) * scale, mean + (b - mean) * scale
    if high > 1:
        scale = (1 - mean) / max(high - mean, np.float32(1e-7))
        r, g, b = mean + (r - mean) * scale, mean + (g - mean) * scale, mean + (b - mean) * scale
    return r, g, b


@njit(nogil=True, cache=True, fastmath=True)
def _set_sat(r, g, b, saturation):  # type: ignore[no-untyped-def]
    low, high = min(r, g, b), max(r, g, b)
    if high <= low:
        return np.float32(0), np.float32(0), np.float32(0)
    scale = saturation / (high - low)
    return (r - low) * scale, (g - low) * scale, (b - low) * scale


@njit(nogil=True, cache=True, fastmath=True)
def _whole(br, bg, bb, sr, sg, sb, mode):  # type: ignore[no-untyped-def]
    light = _lum(br, bg, bb)
    if mode == 12:
        r, g, b = _set_sat(sr, sg, sb, max(br, bg, bb) - min(br, bg, bb))
        return _set_lum(r, g, b, light)
    if mode == 13:
        r, g, b = _set_sat(br, bg, bb, max(sr, sg, sb) - min(sr, sg, sb))
        return _set_lum(r, g, b, light)
    if mode == 14:
        return _set_lum(sr, sg, sb, light)
    return _set_lum(br, bg, bb, _lum(sr, sg, sb))


@njit(nogil=True, cache=True, fastmath=True)
def _blend(r, g, b, weight, amount, sr, sg, sb, sa, color, mode, linear):  # type: ignore[no-untyped-def]
    zero, one = np.float32(0), np.float32(1)
    for i in range(r.size):
        w = weight[i] * amount * sa[i]
        if w == 0:
            continue
        x, y, z = min(max(r[i], zero), one), min(max(g[i], zero), one), min(max(b[i], zero), one)
        u, v, t = sr[i] * color[0], sg[i] * color[1], sb[i] * color[2]
        u, v, t = min(max(u, zero), one), min(max(v, zero), one), min(max(t, zero), one)
        if not linear:
            x, y, z = encode_scalar(x), encode_scalar(y), encode_scalar(z)
            u, v, t = encode_scalar(u), encode_scalar(v), encode_scalar(t)
        if mode < 12:
            x, y, z = _one(x, u, mode), _one(y, v, mode), _one(z, t, mode)
        else:
            x, y, z = _whole(x, y, z, u, v, t, mode)
        if not linear:
            x, y, z = decode_scalar(max(x, zero)), decode_scalar(max(y, zero)), decode_scalar(max(z, zero))
        r[i] += (x - r[i]) * w
        g[i] += (y - g[i]) * w
        b[i] += (z - b[i]) * w


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    r, g, b = three(at, 0, start, n)
    sr, sg, sb = three(at, 4, start, n)
    v = numbers(at, 6)
    mode, linear = np.int64(v[4]), v[5] == 1
    _blend(r, g, b, line(at, 3, start, n), v[0], sr, sg, sb, line(at, 7, start, n), v[1:4], mode, linear)


def _numbers(values: Prepared) -> list[float]:
    return [*values["color"], values["mode"], values["space"]]


KIND = StepKind(
    key="blend",
    label="Blend",
    summary="A color or a texture by a blend mode, in linear or encoded light",
    inputs=(
        Input("color", "Color", ValueType.COLOR, "#808080", description="Multiplies the texture; alone where there is none"),
        Input("mode", "Mode", ValueType.CHOICE, "Multiply", choices=MODES),
        Input("space", "In", ValueType.CHOICE, SPACES[0], choices=SPACES, description="Blend modes are defined on encoded values"),
    ),
    maps=(
        MapInput("picture", "Texture", (1.0, 1.0, 1.0, 1.0), "Its alpha, where it has one, is how much of it is laid", whole=True, straight=True,
                 roles=("other color", "pattern"), needed=False),
    ),
    ops=(Op("base_color", Block(_block, _numbers, (("picture", 4),)), """
float ep_blend_one(float b, float s, int mode) {
    if (mode == 1) return b * s;
    if (mode == 2) return b + s - b * s;
    if (mode == 3) return b <= 0.5 ? 2.0 * b * s : 1.0 - 2.0 * (1.0 - b) * (1.0 - s);
    if (mode == 4) return min(b, s);
    if (mode == 5) return max(b, s);
    if (mode == 6) return b <= 0.0 ? 0.0 : s >= 1.0 ? 1.0 : min(1.0, b / (1.0 - s));
    if (mode == 7) return b >= 1.0 ? 1.0 : s <= 0.0 ? 0.0 : 1.0 - min(1.0, (1.0 - b) / s);
    if (mode == 8) return s <= 0.5 ? 2.0 * b * s : 1.0 - 2.0 * (1.0 - b) * (1.0 - s);
    if (mode == 9) {
        if (s <= 0.5) return b - (1.0 - 2.0 * s) * b * (1.0 - b);
        float d = b <= 0.25 ? ((16.0 * b - 12.0) * b + 4.0) * b : sqrt(b);
        return b + (2.0 * s - 1.0) * (d - b);
    }
    if (mode == 10) return abs(b - s);
    if (mode == 11) return b + s - 2.0 * b * s;
    return s;
}
float ep_blend_lum(vec3 c) { return dot(c, vec3(0.3, 0.59, 0.11)); }
float ep_blend_sat(vec3 c) { return max(c.r, max(c.g, c.b)) - min(c.r, min(c.g, c.b)); }
vec3 ep_blend_set_lum(vec3 c, float light) {
    c += light - ep_blend_lum(c);
    float mean = ep_blend_lum(c), low = min(c.r, min(c.g, c.b)), high = max(c.r, max(c.g, c.b));
    if (low < 0.0) c = mean + (c - mean) * (mean / max(mean - low, 1e-7));
    if (high > 1.0) c = mean + (c - mean) * ((1.0 - mean) / max(high - mean, 1e-7));
    return c;
}
vec3 ep_blend_set_sat(vec3 c, float saturation) {
    float low = min(c.r, min(c.g, c.b)), high = max(c.r, max(c.g, c.b));
    return high <= low ? vec3(0.0) : (c - low) * (saturation / (high - low));
}
vec3 ep_blend_base_color(vec3 c, vec3 color, int mode, int space, vec4 picture) {
    vec3 b = clamp(c, 0.0, 1.0), s = clamp(picture.rgb * color, 0.0, 1.0);
    if (space == 0) { b = ep_encode_srgb(b); s = ep_encode_srgb(s); }
    vec3 made;
    if (mode < 12) made = vec3(ep_blend_one(b.r, s.r, mode), ep_blend_one(b.g, s.g, mode), ep_blend_one(b.b, s.b, mode));
    else if (mode == 12) made = ep_blend_set_lum(ep_blend_set_sat(s, ep_blend_sat(b)), ep_blend_lum(b));
    else if (mode == 13) made = ep_blend_set_lum(ep_blend_set_sat(b, ep_blend_sat(s)), ep_blend_lum(b));
    else if (mode == 14) made = ep_blend_set_lum(s, ep_blend_lum(b));
    else made = ep_blend_set_lum(b, ep_blend_lum(s));
    if (space == 0) made = ep_decode_srgb(max(made, 0.0));
    return mix(c, made, picture.a);
}
""", ("color", "mode", "space", "picture"), shared=("encoding",)),),
    examples=(
        {"color": "#c0a080", "mode": "Multiply"}, {"color": "#808890", "mode": "Screen"}, {"color": "#b08040", "mode": "Overlay"},
        {"color": "#c0a080", "mode": "Soft light"}, {"color": "#b08040", "mode": "Color", "space": "Linear light"},
        {"color": "#40a0c0", "mode": "Luminosity"},
    ),
    own=("color", "picture"),
    formula="B(c, s) of the mode, mixed by the texture's alpha",
    source="W3C Compositing and Blending Level 1, sections 10 and 12; encoding by IEC 61966-2-1",
    order=26,
    words="overlay multiply screen soft light mode",
)  # fmt: skip
