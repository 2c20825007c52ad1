"""Grade: levels, contrast and saturation, on encoded values as artists read them."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.color.blocks import BLOCK, decode_block, encode_block
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.kind import Op, Plane, Planes, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _grade(r, g, b, weight, amount, black, scale, power, contrast, saturation):  # type: ignore[no-untyped-def]
    """In blocks whose loops the compiler vectorizes; blocks without weight are skipped."""
    x, y, z, room = (
        np.empty(BLOCK, np.float32),
        np.empty(BLOCK, np.float32),
        np.empty(BLOCK, np.float32),
        np.empty(BLOCK, np.float32),
    )
    half = np.float32(0.5)
    for start in range(0, r.size, BLOCK):
        n = min(BLOCK, r.size - start)
        w = weight[start : start + n]
        some = np.float32(0)
        for i in range(n):
            some += w[i]
        if some == 0:
            continue
        for line, plane in (
            (x[:n], r[start : start + n]),
            (y[:n], g[start : start + n]),
            (z[:n], b[start : start + n]),
        ):
            for i in range(n):
                line[i] = plane[i]
            encode_block(line, room[:n])
            for i in range(n):
                line[i] = min(max((line[i] - black) * scale, np.float32(0)), np.float32(1))
            if power != 1:
                for i in range(n):
                    line[i] = line[i] ** power
            for i in range(n):
                line[i] = (line[i] - half) * contrast + half
        for i in range(n):
            gray = np.float32(0.2126) * x[i] + np.float32(0.7152) * y[i] + np.float32(0.0722) * z[i]
            x[i] = gray + (x[i] - gray) * saturation
            y[i] = gray + (y[i] - gray) * saturation
            z[i] = gray + (z[i] - gray) * saturation
        for line, plane in (
            (x[:n], r[start : start + n]),
            (y[:n], g[start : start + n]),
            (z[:n], b[start : start + n]),
        ):
            decode_block(line, room[:n])
            for i in range(n):
                plane[i] += (line[i] - plane[i]) * w[i] * amount


def _run(planes: Planes, weight: Plane, amount: float, values: Prepared, _: Mapping[str, Planes]) -> None:
    r, g, b = planes
    v = {key: float(value) for key, value in values.items()}
    scale = 1 / max(v["white"] - v["black"], 1e-3)
    numbers = (amount, v["black"], scale, 1 / v["gamma"], v["contrast"], v["saturation"])
    _grade(r, g, b, weight, *(np.float32(number) for number in numbers))


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
            _run,
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
