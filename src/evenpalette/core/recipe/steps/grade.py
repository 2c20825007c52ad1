"""Grade: levels, contrast and saturation, on encoded values as artists read them."""

import numpy as np

from evenpalette.core.color.blocks import decode_block, encode_block, encode_units
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import BLOCK, Block, line, numbers, three
from evenpalette.core.recipe.kind import Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _spread(plane, part, room, black, scale, power, contrast, plain):  # type: ignore[no-untyped-def]
    """A channel encoded, its levels and its contrast, in part."""
    half, n = np.float32(0.5), plane.size
    for i in range(n):
        part[i] = plane[i]
    if plain:
        encode_units(part)
    else:
        encode_block(part, room)
    for i in range(n):
        part[i] = min(max((part[i] - black) * scale, np.float32(0)), np.float32(1))
    if power != 1:
        for i in range(n):
            part[i] = part[i] ** power
    for i in range(n):
        part[i] = (part[i] - half) * contrast + half


@njit(nogil=True, cache=True, fastmath=True)
def _laid(plane, part, room, weight, amount):  # type: ignore[no-untyped-def]
    decode_block(part, room)
    for i in range(plane.size):
        plane[i] += (part[i] - plane[i]) * weight[i] * amount


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    """Loops that the compiler vectorizes."""
    v = numbers(at, 6)
    amount, black, scale, power, contrast, saturation = v[0], v[1], v[2], v[3], v[4], v[5]
    # Levels that pull apart what is nearly black want more than what is enough for an eye.
    plain = power == 1 and scale <= 2
    held = np.empty(4 * BLOCK, np.float32)
    x, y, z, room = held[:n], held[BLOCK : BLOCK + n], held[2 * BLOCK : 2 * BLOCK + n], held[3 * BLOCK : 3 * BLOCK + n]
    r, g, b = three(at, 0, start, n)
    _spread(r, x, room, black, scale, power, contrast, plain)
    _spread(g, y, room, black, scale, power, contrast, plain)
    _spread(b, z, room, black, scale, power, contrast, plain)
    for i in range(n):
        gray = np.float32(0.2126) * x[i] + np.float32(0.7152) * y[i] + np.float32(0.0722) * z[i]
        x[i] = gray + (x[i] - gray) * saturation
        y[i] = gray + (y[i] - gray) * saturation
        z[i] = gray + (z[i] - gray) * saturation
    weight = line(at, 3, start, n)
    _laid(r, x, room, weight, amount)
    _laid(g, y, room, weight, amount)
    _laid(b, z, room, weight, amount)


def _numbers(values: Prepared) -> list[float]:
    v = {key: float(value) for key, value in values.items()}
    return [v["black"], 1 / max(v["white"] - v["black"], 1e-3), 1 / v["gamma"], v["contrast"], v["saturation"]]


KIND = StepKind(
    key="grade",
    label="Grade",
    summary="Levels, contrast and saturation",
    inputs=(
        Input("black", "Black point", ValueType.NUMBER, 0.0, 0.0, 0.95),
        Input("white", "White point", ValueType.NUMBER, 1.0, 0.05, 1.0),
        Input("gamma", "Middle", ValueType.NUMBER, 1.0, 0.2, 5.0, description="Above 1 lifts the middle tones"),
        Input("contrast", "Contrast", ValueType.NUMBER, 1.0, 0.0, 2.0),
        Input("saturation", "Saturation", ValueType.NUMBER, 1.0, 0.0, 2.0),
    ),
    ops=(
        Op(
            "base_color",
            Block(_block, _numbers),
            """
vec3 ep_grade_base_color(vec3 c, float black, float white, float gamma, float contrast, float saturation) {
    vec3 e = clamp((ep_encode_srgb(c) - black) / max(white - black, 1e-3), 0.0, 1.0);
    if (gamma != 1.0) e = pow(e, vec3(1.0 / gamma));
    e = (e - 0.5) * contrast + 0.5;
    float gray = dot(e, vec3(0.2126, 0.7152, 0.0722));
    return ep_decode_srgb(max(mix(vec3(gray), e, saturation), 0.0));
}
""",
            ("black", "white", "gamma", "contrast", "saturation"),
            shared=("encoding",),
        ),
    ),
    examples=({"black": 0.1, "white": 0.85, "gamma": 1.4, "contrast": 1.2, "saturation": 0.6},),
    formula="e = clamp((encode(c) - black) / (white - black))^(1/gamma); contrast about 0.5; saturation about BT.709 luma; decode",
    source="common practice, no source; encoding by IEC 61966-2-1",
    order=40,
    words="saturation contrast black white point",
)
