"""Glow: light that the surface sends out."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _glow(plane, weight, amount, light, edge, mask, power, picture, keep):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        m = mask[i] if power == 1 else max(mask[i], np.float32(0)) ** power
        made = (edge + (light - edge) * m) * m * picture[i]
        plane[i] += (made + keep * plane[i] - plane[i]) * weight[i] * amount


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    weight, mask = line(at, 3, start, n), line(at, 4, start, n)
    v = numbers(at, 9)
    for k in range(3):
        picture = line(at, 5 + k, start, n)
        _glow(line(at, k, start, n), weight, v[0], v[3 + k], v[6 + k], mask, v[1], picture, v[2])


def _numbers(values: Prepared) -> list[float]:
    strength = np.float32(2.0 ** float(values["stops"]))
    light, edge = values["color"] * strength, values["edge" if values["ramped"] else "color"] * strength
    return [values["power"], 1 if values["adds"] else 0, *light, *edge]


KIND = StepKind(
    key="glow",
    label="Glow",
    summary="Light that the surface sends out: mask times color times strength, or a color texture",
    inputs=(
        Input("color", "Color", ValueType.COLOR, "#ffd9a0"),
        Input("stops", "Stops", ValueType.NUMBER, 0.0, -6.0, 6.0, description="Strength: each stop doubles the light; 0 is the color itself"),
        Input("adds", "Adds to below", ValueType.SWITCH, True, description="Off, it takes the place of what glows below"),
        Input("ramped", "Ramp on mask", ValueType.SWITCH, False, description="Its color goes over into another where the mask is dim, as embers do"),
        Input("edge", "Dim color", ValueType.COLOR, "#ff5a1e", description="Where the mask is nearly black, with the ramp"),
        Input("power", "Falloff", ValueType.NUMBER, 1.0, 0.25, 8.0, description="Of the mask; above 1 only its brightest parts glow"),
    ),
    maps=(
        MapInput("mask", "Mask", (1.0,), "White glows; without one everything in the regions does", roles=("mask",), needed=False),
        MapInput("picture", "Color texture", (1.0, 1.0, 1.0, 1.0), "Multiplied in, where one is chosen", whole=True, needed=False),
    ),
    ops=(
        Op("emissive", Block(_block, _numbers, (("mask", 1), ("picture", 3))), """
vec3 ep_glow_emissive(vec3 c, vec3 color, float stops, int adds, int ramped, vec3 edge, float power, float mask, vec4 picture) {
    float m = power == 1.0 ? mask : pow(max(mask, 0.0), power);
    return (ramped == 1 ? mix(edge, color, m) : color) * exp2(stops) * m * picture.rgb + (adds == 1 ? c : vec3(0.0));
}
""", ("color", "stops", "adds", "ramped", "edge", "power", "mask", "picture"), replaces=lambda values: not values["adds"]),
    ),
    examples=(
        {"color": "#ffb060", "stops": -1.0, "adds": True}, {"color": "#60a0ff", "stops": 1.5, "adds": False, "ramped": True, "edge": "#ff3000", "power": 2.0},
    ),
    formula="emissive = mix(dim color, color, m) * 2^stops * m * texture, m = mask^falloff, added to what glows below or in its place",
    source="glTF 2.0 emissive and KHR_materials_emissive_strength; stops are common practice, no source",
    order=65,
    words="light emissive lamp shine night neon",
)  # fmt: skip
