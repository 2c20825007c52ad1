"""Colors that go together, brought into sRGB, and between two: against coloraide and by hand."""

from itertools import pairwise

import numpy as np
import pytest
from coloraide import Color
from hypothesis import example, given, settings
from hypothesis import strategies as st

from evenpalette.core.color.gamut import css_mapped
from evenpalette.core.color.hexcode import hex_to_linear, linear_to_hex
from evenpalette.core.color.oklab import linear_to_oklab
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import ValueType
from evenpalette.core.variants.between import between, steps_between
from evenpalette.core.variants.harmony import LIGHTNESS, NEIGHBORS, OPPOSITE, TURN, harmonized, lch_of

HEX = st.integers(0, 0xFFFFFF).map(lambda n: f"#{n:06x}")


@given(st.floats(0.02, 0.98), st.floats(0, 0.4), st.floats(0, 359.9))
@settings(max_examples=300, deadline=None)
def test_out_of_gamut_is_mapped_as_css_says(lightness: float, chroma: float, hue: float) -> None:
    """coloraide's `oklch-chroma`, which is the algorithm of CSS Color 4."""
    theirs = Color("oklch", [lightness, chroma, hue]).convert("srgb-linear").fit(method="oklch-chroma", jnd=0.02)
    mine = css_mapped(np.array([lightness, chroma, hue]))
    apart = Color("srgb-linear", [float(v) for v in mine]).delta_e(theirs, method="ok")
    assert apart < 0.004
    assert mine.min() >= 0
    assert mine.max() <= 1


def test_harmonies_by_hand() -> None:
    """Worked in OKLCh: hues by addition, lightness taken over."""
    base, others = "#b0603a", ["#3f7d4e", "#808080", "#2b5772"]
    hue = float(lch_of(base)[2])

    def hue_of(color: str) -> float:
        return float(lch_of(color)[2])

    def turned(a: float, b: float) -> float:
        return abs((a - b + 180) % 360 - 180)

    for one, before in zip(harmonized(TURN, base, others, 40.0), others, strict=True):
        if one.stayed and before != "#808080":
            assert turned(hue_of(one.color), hue_of(before) + 40) < 2
    for one in harmonized(OPPOSITE, base, others):
        assert turned(hue_of(one.color), hue + 180) < 2.5
    first, second, third = harmonized(NEIGHBORS, base, others, 25.0)
    assert turned(hue_of(first.color), hue + 25) < 2.5
    assert turned(hue_of(second.color), hue - 25) < 2.5
    assert turned(hue_of(third.color), hue + 50) < 2.5
    for one in harmonized(LIGHTNESS, base, others):
        assert abs(float(lch_of(one.color)[0]) - float(lch_of(base)[0])) < 0.004
    # What cannot be shown so strong is said.
    strong = harmonized(TURN, "#0000ff", ["#0000ff"], 180.0)[0]
    assert not strong.stayed


def parameter(kind: ValueType, default: object, **more: object) -> Parameter:
    return Parameter(id=kind.value, name=kind.value, type=kind, default=default, **more)  # type: ignore[arg-type]


KINDS = [
    parameter(ValueType.COLOR, "#000000"), parameter(ValueType.NUMBER, 0.0, high=10.0), parameter(ValueType.INTEGER, 0, high=9.0),
    parameter(ValueType.CHOICE, "a", choices=("a", "b")), parameter(ValueType.SWITCH, False),
]  # fmt: skip


def _width_of_a_code(color: str) -> float:
    """How far the next code of the largest channel is in OKLab, by coloraide."""
    codes = list(bytes.fromhex(color[1:]))
    codes[codes.index(max(codes))] -= 1 if max(codes) else 0
    return float(
        np.linalg.norm(
            np.array(Color(color).convert("oklab").coords()) - Color(f"#{bytes(codes).hex()}").convert("oklab").coords()
        )
    )


@given(HEX, HEX, st.integers(1, 7))
@example("#000000", "#000001", 2)
@example("#00fb00", "#005a00", 4)
@settings(max_examples=60, deadline=None)
def test_between_two_colors_all_steps_are_equal(first: str, last: str, count: int) -> None:
    """Distances in OKLab by coloraide: within 2% where 8-bit codes are fine enough to say so, never far off the line or
    as near as codes come: by black they are far apart."""
    one, other = ({p.id: p.default for p in KINDS} | {"color": color} for color in (first, last))
    colors = [first, *(str(v["color"]) for v in steps_between(KINDS, one, other, count)), last]
    labs = [np.array(Color(color).convert("oklab").coords()) for color in colors]
    whole = float(np.linalg.norm(labs[-1] - labs[0]))
    steps = [float(np.linalg.norm(b - a)) for a, b in pairwise(labs)]
    straight = labs[0] + (labs[-1] - labs[0]) * np.linspace(0, 1, count + 2)[:, None]
    inside = all(Color("oklab", list(map(float, lab))).in_gamut("srgb", tolerance=1e-3) for lab in straight)
    step = whole / (count + 1)
    if inside and step > 0.06 and min(float(lab[0]) for lab in labs) > 0.25:
        # A color of one channel alone goes by whole codes of it.
        code = min(_width_of_a_code(color) for color in (first, last))
        assert max(abs(s - step) for s in steps) <= max(0.02 * step, code)
    if inside:
        for lab, wanted in zip(labs, straight, strict=True):
            rounded = Color(Color("oklab", list(map(float, wanted))).convert("srgb").to_string(hex=True, fit="clip"))
            nearest = float(np.linalg.norm(np.array(rounded.convert("oklab").coords()) - wanted))
            assert float(np.linalg.norm(lab - wanted)) <= max(0.02, nearest) + 1e-4


def test_what_is_no_color_goes_plainly_or_by_the_half() -> None:
    one = {"color": "#102030", "number": 1.0, "integer": 1, "choice": "a", "switch": False}
    other = {"color": "#d0a030", "number": 5.0, "integer": 8, "choice": "b", "switch": True}
    quarter, half = (between(KINDS, one, other, t) for t in (0.25, 0.5))
    assert (quarter["number"], quarter["integer"], quarter["choice"], quarter["switch"]) == (2.0, 3, "a", False)
    assert (half["number"], half["choice"], half["switch"]) == (3.0, "b", True)
    lab = (linear_to_oklab(hex_to_linear("#102030")) + linear_to_oklab(hex_to_linear("#d0a030"))) / 2
    assert np.abs(linear_to_oklab(hex_to_linear(str(half["color"]))) - lab).max() < 0.004
    with pytest.raises(KeyError):
        harmonized("nonsense", "#102030", [])
    assert linear_to_hex(css_mapped(np.array([1.2, 0.1, 20.0]))) == "#ffffff"
