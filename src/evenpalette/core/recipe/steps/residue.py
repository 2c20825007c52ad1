"""Residue: hue and chroma that one gray and one tint cannot rebuild are added back, and follow the tint."""

import numpy as np

from evenpalette.core.color.oklab import LAB_FROM_ROOTS, LMS_FROM_RGB, RGB_FROM_LMS, ROOTS_FROM_LAB
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers, three
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType

#: Turns that the first channel reaches to either side, and the largest factor of chroma in the second.
MOST_TURNS, MOST_CHROMA = 0.125, 2.0
#: A code in the middle of 8 bits, so that nothing is exactly nothing.
MIDDLE = 128 / 255


@njit(nogil=True, cache=True, fastmath=True)
def _turn(r, g, b, weight, amount, turn, chroma, strength, lms, lab, roots, rgb):  # type: ignore[no-untyped-def]
    third = np.float32(1 / 3)
    for i in range(r.size):
        w = weight[i] * amount
        if w == 0:
            continue
        angle = (turn[i] - np.float32(128 / 255)) * np.float32(0.5 * np.pi) * strength
        factor = np.float32(1) + (chroma[i] / np.float32(128 / 255) - 1) * strength
        red, green, blue = max(r[i], np.float32(0)), max(g[i], np.float32(0)), max(b[i], np.float32(0))
        x = (lms[0, 0] * red + lms[0, 1] * green + lms[0, 2] * blue) ** third
        y = (lms[1, 0] * red + lms[1, 1] * green + lms[1, 2] * blue) ** third
        z = (lms[2, 0] * red + lms[2, 1] * green + lms[2, 2] * blue) ** third
        light = lab[0, 0] * x + lab[0, 1] * y + lab[0, 2] * z
        u = (lab[1, 0] * x + lab[1, 1] * y + lab[1, 2] * z) * factor
        v = (lab[2, 0] * x + lab[2, 1] * y + lab[2, 2] * z) * factor
        cos, sin = np.cos(angle), np.sin(angle)
        u, v = u * cos - v * sin, u * sin + v * cos
        x = roots[0, 0] * light + roots[0, 1] * u + roots[0, 2] * v
        y = roots[1, 0] * light + roots[1, 1] * u + roots[1, 2] * v
        z = roots[2, 0] * light + roots[2, 1] * u + roots[2, 2] * v
        x, y, z = x * x * x, y * y * y, z * z * z
        r[i] += (max(rgb[0, 0] * x + rgb[0, 1] * y + rgb[0, 2] * z, np.float32(0)) - r[i]) * w
        g[i] += (max(rgb[1, 0] * x + rgb[1, 1] * y + rgb[1, 2] * z, np.float32(0)) - g[i]) * w
        b[i] += (max(rgb[2, 0] * x + rgb[2, 1] * y + rgb[2, 2] * z, np.float32(0)) - b[i]) * w


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    r, g, b = three(at, 0, start, n)
    v = numbers(at, 38)
    lms, lab = v[2:11].reshape(3, 3), v[11:20].reshape(3, 3)
    roots, rgb = v[20:29].reshape(3, 3), v[29:38].reshape(3, 3)
    weight, turn, chroma = line(at, 3, start, n), line(at, 4, start, n), line(at, 5, start, n)
    _turn(r, g, b, weight, v[0], turn, chroma, v[1], lms, lab, roots, rgb)


def _numbers(values: Prepared) -> list[float]:
    matrices = [m.reshape(-1) for m in (LMS_FROM_RGB, LAB_FROM_ROOTS, ROOTS_FROM_LAB, RGB_FROM_LMS)]
    return [values["strength"], *np.concatenate(matrices)]


KIND = StepKind(
    key="residue",
    label="Residue",
    summary="Hue and chroma that gray and tint cannot rebuild, added back; they follow the tint",
    inputs=(Input("strength", "Strength", ValueType.NUMBER, 1.0, 0.0, 2.0),),
    maps=(
        MapInput(
            "turn",
            "Hue",
            (MIDDLE,),
            "How far the hue turns, an eighth of a turn to either side; the middle is not at all",
            roles=("other data",),
        ),
        MapInput("chroma", "Chroma", (MIDDLE,), "The factor of chroma, 0 to 2; the middle is 1", roles=("other data",)),
    ),
    ops=(
        Op(
            "base_color",
            Block(_block, _numbers, (("turn", 1), ("chroma", 1))),
            """
vec3 ep_residue_base_color(vec3 c, float strength, float turn, float chroma) {
    float angle = (turn - 128.0 / 255.0) * 1.57079633 * strength;
    float factor = 1.0 + (chroma * 255.0 / 128.0 - 1.0) * strength;
    vec3 lab = ep_oklab(max(c, 0.0));
    lab.yz *= factor;
    vec2 way = vec2(cos(angle), sin(angle));
    lab.yz = vec2(lab.y * way.x - lab.z * way.y, lab.y * way.y + lab.z * way.x);
    return max(ep_from_oklab(lab), 0.0);
}
""",
            ("strength", "turn", "chroma"),
            shared=("oklab",),
        ),
    ),
    examples=({"strength": 1.0}, {"strength": 0.5}),
    formula="in OKLCh: h + (r - 128/255) pi/2 strength, C (1 + (g 255/128 - 1) strength)",
    source="OKLab: B. Ottosson 2020; the offsets are ours",
    order=12,
    words="rest hue wander rebuild original",
)
