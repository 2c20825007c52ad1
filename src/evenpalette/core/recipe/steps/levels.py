"""Levels: a gray is spread before it is tinted, in linear light, and nothing is cut off above white."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers
from evenpalette.core.recipe.kind import Op, Plane, StepKind
from evenpalette.core.values import Input, ValueType

#: The linear gray about which contrast turns: a card of 18% reflectance.
PIVOT = 0.18


@njit(nogil=True, cache=True, fastmath=True)
def _spread(plane, weight, amount, low, scale, power, contrast, brightness):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        w = weight[i] * amount
        if w == 0:
            continue
        x = max((plane[i] - low) * scale, np.float32(0))
        if power != 1:
            x = x**power
        if contrast != 1:
            x = np.float32(0.18) * (x / np.float32(0.18)) ** contrast
        plane[i] += (x * brightness - plane[i]) * w


def spread(gray: Plane, values: Mapping[str, object]) -> Plane:
    """Linear grays, float32 of any shape, spread by the values of a Levels step; a copy."""
    out = np.ascontiguousarray(gray, np.float32).reshape(-1).copy()
    _spread(out, np.ones(out.size, np.float32), np.float32(1), *np.array(_numbers(values), np.float32))
    return out.reshape(gray.shape)


def _numbers(values: Mapping[str, object]) -> list[float]:
    v = {key: float(values[key]) for key in ("black", "white", "gamma", "contrast", "brightness")}  # type: ignore[arg-type]
    low, high = (float(decode_srgb(np.array(v[key], np.float32))) for key in ("black", "white"))
    return [low, 1 / max(high - low, 1e-4), 1 / v["gamma"], v["contrast"], v["brightness"]]


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    v = numbers(at, 6)
    for k in range(3):
        _spread(line(at, k, start, n), line(at, 3, start, n), v[0], v[1], v[2], v[3], v[4], v[5])


KIND = StepKind(
    key="levels",
    label="Levels",
    summary="Spread a gray before it is tinted: black, white, middle, contrast, brightness",
    inputs=(
        Input("black", "Black at", ValueType.NUMBER, 0.0, 0.0, 0.95, description="The encoded gray that becomes black"),
        Input(
            "white",
            "White at",
            ValueType.NUMBER,
            1.0,
            0.05,
            1.0,
            description="The encoded gray that becomes white; what is brighter stays brighter",
        ),
        Input("gamma", "Middle", ValueType.NUMBER, 1.0, 0.2, 5.0, description="Above 1 lifts the middle grays"),
        Input("contrast", "Contrast", ValueType.NUMBER, 1.0, 0.2, 3.0, description="About a gray of 18%"),
        Input("brightness", "Brightness", ValueType.NUMBER, 1.0, 0.0, 4.0, description="A factor of the light"),
    ),
    ops=(
        Op(
            "base_color",
            Block(_block, _numbers),
            f"""
vec3 ep_levels_base_color(vec3 c, float black, float white, float gamma, float contrast, float brightness) {{
    vec2 ends = ep_decode_srgb(vec3(black, white, 0.0)).xy;
    vec3 x = max((c - ends.x) / max(ends.y - ends.x, 1e-4), 0.0);
    if (gamma != 1.0) x = pow(x, vec3(1.0 / gamma));
    if (contrast != 1.0) x = {PIVOT} * pow(x / {PIVOT}, vec3(contrast));
    return x * brightness;
}}
""",
            ("black", "white", "gamma", "contrast", "brightness"),
            shared=("encoding",),
        ),
    ),
    examples=({"black": 0.1, "white": 0.8, "gamma": 1.3, "contrast": 1.2, "brightness": 0.9},),
    own=("black", "white", "gamma", "contrast", "brightness"),
    formula="x = max((c - b) / (w - b), 0)^(1/gamma), b and w decoded; 0.18 (x / 0.18)^contrast; times brightness",
    source="levels and power contrast, common practice, no source; encoding by IEC 61966-2-1",
    order=5,
    words="brighter darker contrast brightness clip gamma",
)
