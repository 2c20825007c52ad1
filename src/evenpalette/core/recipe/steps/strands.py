"""Strands: hair, fur, tassels: root and tip, tints by a mask, and two highlights along them."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.attributes import HIGHLIGHT_TINT, STRAND_SHAPE, STRAND_TINT, STRANDS
from evenpalette.core.recipe.blocks import Block, line, numbers, three
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
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


@njit(nogil=True, cache=True, fastmath=True)
def _colors(at, start, n):  # type: ignore[no-untyped-def]
    weight, along = line(at, 3, start, n), line(at, 4, start, n)
    red, green, blue = three(at, 5, start, n)
    v = numbers(at, 17)
    for k in range(3):
        tints = v[8 + k], v[11 + k], v[14 + k]
        _color(line(at, k, start, n), weight, v[0], along, v[1], v[2 + k], v[5 + k], red, green, blue, *tints)


def _color_numbers(values: Prepared) -> list[float]:
    ends = [*values["root"], *values["tip"]]
    return [values["power"], *ends, *values["first"], *values["second"], *values["third"]]


@njit(nogil=True, cache=True, fastmath=True)
def _move(plane, weight, amount, shift, spread, noise):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        to = min(max(shift + (noise[i] - np.float32(0.5)) * spread, np.float32(0)), np.float32(1))
        plane[i] += (to - plane[i]) * weight[i] * amount


@njit(nogil=True, cache=True, fastmath=True)
def _shapes(at, start, n):  # type: ignore[no-untyped-def]
    weight, noise = line(at, 4, start, n), line(at, 5, start, n)
    v = numbers(at, 6)
    for k in range(4):
        spread = v[5] if k == 0 or k == 2 else np.float32(0)
        _move(line(at, k, start, n), weight, v[0], v[1 + k], spread, noise)


def _shape_numbers(values: Prepared) -> list[float]:
    return [values[key] for key in ("shift", "width", "second_shift", "second_width", "spread")]


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
        Op("base_color", Block(_colors, _color_numbers, (("along", 1), ("tints", 3))), """
vec3 ep_strands_base_color(vec3 c, vec3 root, vec3 tip, float power, vec3 first, vec3 second, vec3 third, float along, vec4 tints) {
    float t = clamp(along, 0.0, 1.0);
    if (power != 1.0) t = pow(t, power);
    float total = tints.r + tints.g + tints.b, share = 1.0 / max(total, 1.0);
    vec3 tint = vec3(1.0 - total * share) + (tints.r * first + tints.g * second + tints.b * third) * share;
    return c * mix(root, tip, t) * tint;
}
""", ("root", "tip", "power", "first", "second", "third", "along", "tints")),
        Op(STRAND_SHAPE, Block(_shapes, _shape_numbers, (("noise", 1),)), """
vec4 ep_strands_strand_shape(vec4 c, float shift, float width, float second_shift, float second_width, float spread, float noise) {
    float moved = (noise - 0.5) * spread;
    return clamp(vec4(shift + moved, width, second_shift + moved, second_width), 0.0, 1.0);
}
""", ("shift", "width", "second_shift", "second_width", "spread", "noise")),
        replacing("strands", HIGHLIGHT_TINT, "highlight"),
        replacing("strands", STRAND_TINT, "second_highlight"),
        replacing("strands", "anisotropy_angle", "angle"),
        Op(STRANDS, None, "float ep_strands_strands(float c) { return 1.0; }\n", replaces=True, together=toward(1, "")),
    ),
    examples=({"root": "#604030", "tip": "#e0c090", "power": 1.5, "first": "#ff8040", "second": "#4080ff", "spread": 0.4, "shift": 0.6},),
    own=("root", "tip"),
    formula="c mix(root, tip, g^power) (1 - m + sum tint_i m_i); highlights sin(T + shift N, H)^(2 / width^2)",
    source="J. Kajiya, T. Kay, \"Rendering fur with three dimensional textures\", 1989; T. Scheuermann, \"Practical real-time hair rendering and shading\", 2004",
    order=42,
)  # fmt: skip
