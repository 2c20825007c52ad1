"""Ramp: a gray becomes a color along stops."""

import numpy as np

from evenpalette.core.color.encoding import encode_scalar
from evenpalette.core.color.oklab import RGB_FROM_LMS, ROOTS_FROM_LAB, linear_to_oklab
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers, three
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType

STOPS = 6
READS = ("What is below", "A texture")
BETWEEN = ("Linear", "OKLab", "Stepped")
_COLORS = ("#14161e", "#4a3a30", "#8a6a48", "#c0a070", "#e4d0a4", "#fbf4e0")


@njit(nogil=True, cache=True, fastmath=True)
def _ramp(r, g, b, weight, amount, gray, texture, stops, places, count, between, low, scale, roots, out):  # type: ignore[no-untyped-def]
    for i in range(r.size):
        w = weight[i] * amount
        if w == 0:
            continue
        if texture:
            t = gray[i]
        else:
            light = np.float32(0.2126) * r[i] + np.float32(0.7152) * g[i] + np.float32(0.0722) * b[i]
            t = encode_scalar(min(max(light, np.float32(0)), np.float32(1)))
        t = min(max((t - low) * scale, np.float32(0)), np.float32(1))
        x, y, z = stops[0, 0], stops[0, 1], stops[0, 2]
        for k in range(1, count):
            if between == 2:
                share = np.float32(1) if t >= places[k] else np.float32(0)
            else:
                wide = max(places[k] - places[k - 1], np.float32(1e-5))
                share = min(max((t - places[k - 1]) / wide, np.float32(0)), np.float32(1))
            x += (stops[k, 0] - x) * share
            y += (stops[k, 1] - y) * share
            z += (stops[k, 2] - z) * share
        if between == 1:
            u = roots[0, 0] * x + roots[0, 1] * y + roots[0, 2] * z
            v = roots[1, 0] * x + roots[1, 1] * y + roots[1, 2] * z
            s = roots[2, 0] * x + roots[2, 1] * y + roots[2, 2] * z
            u, v, s = u * u * u, v * v * v, s * s * s
            x = out[0, 0] * u + out[0, 1] * v + out[0, 2] * s
            y = out[1, 0] * u + out[1, 1] * v + out[1, 2] * s
            z = out[2, 0] * u + out[2, 1] * v + out[2, 2] * s
        r[i] += (x - r[i]) * w
        g[i] += (y - g[i]) * w
        b[i] += (z - b[i]) * w


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    r, g, b = three(at, 0, start, n)
    v = numbers(at, 24 + 4 * STOPS)
    stops, places = v[24 : 24 + 3 * STOPS].reshape(STOPS, 3), v[24 + 3 * STOPS : 24 + 4 * STOPS]
    roots, out = v[6:15].reshape(3, 3), v[15:24].reshape(3, 3)
    texture, count, between = v[1] == 1, np.int64(v[2]), np.int64(v[3])
    weight, gray = line(at, 3, start, n), line(at, 4, start, n)
    _ramp(r, g, b, weight, v[0], gray, texture, stops, places, count, between, v[4], v[5], roots, out)


def _numbers(values: Prepared) -> list[float]:
    stops = np.stack([values[f"color_{k}"] for k in range(1, STOPS + 1)]).astype(np.float32)
    places = [values[f"place_{k}"] for k in range(1, STOPS + 1)]
    if int(values["between"]) == 1:
        stops = linear_to_oklab(stops)
    low = float(values["low"])
    scale = 1 / max(float(values["high"]) - low, 1e-3)
    matrices = (*ROOTS_FROM_LAB.reshape(-1), *RGB_FROM_LMS.reshape(-1))
    return [values["reads"], values["stops"], values["between"], low, scale, *matrices, *stops.reshape(-1), *places]


def _stop(k: int, what: str) -> Input:
    if what == "color":
        return Input(f"color_{k}", f"Color {k}", ValueType.COLOR, _COLORS[k - 1])
    return Input(
        f"place_{k}",
        f"At {k}",
        ValueType.NUMBER,
        round((k - 1) / (STOPS - 1), 4),
        description="Where on the ramp, 0 to 1",
    )


_TAKES = (
    "reads",
    "stops",
    "between",
    "low",
    "high",
    "gray",
    *(f"{what}_{k}" for k in range(1, STOPS + 1) for what in ("color", "place")),
)
_ARGUMENTS = ", ".join(f"vec3 c{k}, float p{k}" for k in range(1, STOPS + 1))


def _glsl() -> str:
    text = f"vec3 ep_ramp_base_color(vec3 c, int reads, int stops, int between, float low, float high, float gray, {_ARGUMENTS}) {{\n"
    text += "    float t = reads == 1 ? gray : ep_encode_srgb(vec3(clamp(dot(c, vec3(0.2126, 0.7152, 0.0722)), 0.0, 1.0))).x;\n"
    text += "    t = clamp((t - low) / max(high - low, 1e-3), 0.0, 1.0);\n"
    text += "    vec3 made = between == 1 ? ep_oklab(c1) : c1, next;\n    float share;\n"
    for k in range(2, STOPS + 1):
        text += f"    next = between == 1 ? ep_oklab(c{k}) : c{k};\n"
        text += f"    share = between == 2 ? step(p{k}, t) : clamp((t - p{k - 1}) / max(p{k} - p{k - 1}, 1e-5), 0.0, 1.0);\n"
        text += f"    made = stops >= {k} ? mix(made, next, share) : made;\n"
    return text + "    return between == 1 ? ep_from_oklab(made) : made;\n}\n"


KIND = StepKind(
    key="ramp",
    label="Ramp",
    summary="A gray becomes a color along up to six stops",
    inputs=(
        *(made for k in range(1, STOPS + 1) for made in (_stop(k, "color"), _stop(k, "place"))),
        Input("stops", "Stops", ValueType.INTEGER, STOPS, 2, STOPS),
        Input("between", "Between", ValueType.CHOICE, "OKLab", choices=BETWEEN, description="How colors go over into each other"),
        Input("reads", "Reads", ValueType.CHOICE, READS[0], choices=READS, description="The light of what is below, encoded, or a channel"),
        Input("low", "From", ValueType.NUMBER, 0.0, 0.0, 0.95, description="The gray that is the beginning of the ramp"),
        Input("high", "To", ValueType.NUMBER, 1.0, 0.05, 1.0, description="The gray that is its end"),
    ),
    maps=(MapInput("gray", "Texture", (0.0,), "The place on the ramp, where it reads a texture", roles=("mask", "height", "other data"), needed=False),),
    ops=(Op("base_color", Block(_block, _numbers, (("gray", 1),)), _glsl(), _TAKES, shared=("encoding", "oklab")),),
    examples=(
        {"stops": 4, "between": "OKLab", "color_1": "#101830", "color_2": "#a04030", "place_2": 0.4, "color_3": "#f0c060", "place_3": 0.7, "color_4": "#ffffff", "place_4": 1.0},
        {"stops": 6, "between": "Linear", "reads": "A texture", "low": 0.1, "high": 0.8},
        {"stops": 3, "between": "Stepped", "place_2": 0.3, "place_3": 0.6},
    ),
    own=tuple(f"{what}_{k}" for k in range(1, STOPS + 1) for what in ("color", "place")),
    formula="t = (gray - low) / (high - low); between the stops around t, in linear light or OKLab, or the last stop reached",
    source="gradient mapping, common practice, no source; OKLab: B. Ottosson 2020",
    order=22,
    words="gradient map heat rust",
)  # fmt: skip
