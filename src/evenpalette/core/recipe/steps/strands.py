"""Strands: hair, fur, tassels: root and tip, tints by a mask, and two highlights along them."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.attributes import HIGHLIGHT_TINT, STRAND_SHAPE, STRAND_TINT, STRANDS
from evenpalette.core.recipe.kind import MapInput, Op, Plane, Planes, Prepared, StepKind
from evenpalette.core.recipe.toward import replacing, toward
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _color(plane, weight, amount, along, power, root, tip, red, green, blue, first, second, third):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        t = min(max(along[i], np.float32(0)), np.float32(1))
        if power != 1:
            t = t**power
        made = plane[i] * (root + (tip - root) * t)
        total = red[i] + green[i] + blue[i]
        share = 1 / max(total, np.float32(1))
        tint = (1 - total * share) + (red[i] * first + green[i] * second + blue[i] * third) * share
        plane[i] += (made * tint - plane[i]) * weight[i] * amount


def _colors(planes: Planes, weight: Plane, amount: float, values: Prepared, reads: Mapping[str, Planes]) -> None:
    f, (red, green, blue, _) = np.float32, reads["tints"]
    for k, plane in enumerate(planes):
        ends = (f(values[key][k]) for key in ("root", "tip"))
        tints = (f(values[key][k]) for key in ("first", "second", "third"))
        _color(plane, weight, f(amount), reads["along"][0], f(values["power"]), *ends, red, green, blue, *tints)


@njit(nogil=True, cache=True, fastmath=True)
def _move(plane, weight, amount, shift, spread, noise):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        to = min(max(shift + (noise[i] - np.float32(0.5)) * spread, np.float32(0)), np.float32(1))
        plane[i] += (to - plane[i]) * weight[i] * amount


def _shapes(planes: Planes, weight: Plane, amount: float, values: Prepared, reads: Mapping[str, Planes]) -> None:
    f, noise = np.float32, reads["noise"][0]
    for k, (key, spread) in enumerate(
        (("shift", values["spread"]), ("width", 0), ("second_shift", values["spread"]), ("second_width", 0))
    ):
        _move(planes[k], weight, f(amount), f(values[key]), f(spread), noise)


def _share(key: str, label: str, default: float, description: str) -> Input:
    return Input(key, label, ValueType.NUMBER, default, description=description)


KIND = StepKind(
    key="strands",
    label="Strands",
    summary="Hair, fur, tassels: root and tip, tints by a mask, two highlights along the strands",
    inputs=(
        Input("root", "Root", ValueType.COLOR, "#8a8a8a", description="Where the gradient is black"),
        Input("tip", "Tip", ValueType.COLOR, "#ffffff", description="Where it is white"),
        Input("power", "Power", ValueType.NUMBER, 1.0, 0.1, 8.0, description="Above 1 the tip comes late"),
        Input("first", "First tint", ValueType.COLOR, "#ffffff", description="Where the mask is red"),
        Input("second", "Second tint", ValueType.COLOR, "#ffffff", description="Where it is green"),
        Input("third", "Third tint", ValueType.COLOR, "#ffffff", description="Where it is blue"),
        Input("highlight", "Highlight", ValueType.COLOR, "#ffffff", description="The first, narrow one: it has the color of the light"),
        _share("shift", "Shift", 0.55, "Of the first highlight along the strand; 0.5 is none, more is toward the tip"),
        _share("width", "Width", 0.15, "Of the first highlight"),
        Input("second_highlight", "Second highlight", ValueType.COLOR, "#c8a888", description="The wide one: it has the color of the strand"),
        _share("second_shift", "Second shift", 0.42, "Of the second highlight; 0.5 is none"),
        _share("second_width", "Second width", 0.4, "Of the second highlight"),
        _share("spread", "Spread", 0.1, "How far the texture moves the highlights from strand to strand"),
        Input("angle", "Direction", ValueType.NUMBER, 0.25, 0.0, 1.0, description="In turns, in which strands run, from u counter-clockwise; 0.25 is up the texture, 0.75 down"),
    ),
    maps=(
        MapInput("along", "Along", (1.0,), "Black at the root, white at the tip", roles=("other data", "mask", "height"), needed=False),
        MapInput("tints", "Tint mask", (0.0, 0.0, 0.0, 1.0), "Which strands have which tint", whole=True, roles=("channel mask", "mask"), needed=False),
        MapInput("noise", "Strand noise", (0.5,), "Another gray for each strand", roles=("other data", "pattern"), needed=False),
    ),
    ops=(
        Op("base_color", _colors, """
vec3 ep_strands_base_color(vec3 c, vec3 root, vec3 tip, float power, vec3 first, vec3 second, vec3 third, float along, vec4 tints) {
    float t = clamp(along, 0.0, 1.0);
    if (power != 1.0) t = pow(t, power);
    float total = tints.r + tints.g + tints.b, share = 1.0 / max(total, 1.0);
    vec3 tint = vec3(1.0 - total * share) + (tints.r * first + tints.g * second + tints.b * third) * share;
    return c * mix(root, tip, t) * tint;
}
""", ("root", "tip", "power", "first", "second", "third", "along", "tints")),
        Op(STRAND_SHAPE, _shapes, """
vec4 ep_strands_strand_shape(vec4 c, float shift, float width, float second_shift, float second_width, float spread, float noise) {
    float moved = (noise - 0.5) * spread;
    return clamp(vec4(shift + moved, width, second_shift + moved, second_width), 0.0, 1.0);
}
""", ("shift", "width", "second_shift", "second_width", "spread", "noise")),
        replacing("strands", HIGHLIGHT_TINT, "highlight"),
        replacing("strands", STRAND_TINT, "second_highlight"),
        replacing("strands", "anisotropy_angle", "angle"),
        Op(STRANDS, lambda planes, weight, amount, _, __: toward(planes, weight, amount, 1.0),
           "float ep_strands_strands(float c) { return 1.0; }\n", replaces=True),
    ),
    examples=({"root": "#604030", "tip": "#e0c090", "power": 1.5, "first": "#ff8040", "second": "#4080ff", "spread": 0.4, "shift": 0.6},),
    own=("root", "tip"),
    formula="c mix(root, tip, g^power) (1 - m + sum tint_i m_i); highlights sin(T + shift N, H)^(2 / width^2)",
    source="J. Kajiya, T. Kay, \"Rendering fur with three dimensional textures\", 1989; T. Scheuermann, \"Practical real-time hair rendering and shading\", 2004",
    order=42,
)  # fmt: skip
