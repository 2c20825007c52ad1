"""Colors that go together, in OKLCh: turned around the circle of hues, opposite, beside each other, equally light; and
what of them a screen can show.

The ways are common practice, no source; OKLCh is that of CSS Color 4.
"""

from collections.abc import Sequence

import numpy as np

from evenpalette.core.color.encoding import F32
from evenpalette.core.color.gamut import css_mapped, is_in_gamut
from evenpalette.core.color.hexcode import hex_to_linear, linear_to_hex
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_oklch
from evenpalette.core.dataclass import dataclass

TURN, OPPOSITE, NEIGHBORS, LIGHTNESS = "turn", "opposite", "neighbors", "lightness"
#: By key, in words.
WAYS = {
    TURN: "Turn all by an angle", OPPOSITE: "Opposite of the first", NEIGHBORS: "Neighbors of the first",
    LIGHTNESS: "As light as the first",
}  # fmt: skip
#: A color with less chroma has no hue; it takes the chroma of the one that it goes with.
_GRAY = 0.02


@dataclass(frozen=True)
class Harmonized:
    """color: '#rrggbb'. stayed: whether it is what was asked for, with all its chroma; else it was brought into
    sRGB."""

    color: str
    stayed: bool


def lch_of(color: str) -> F32:
    """(lightness, chroma, hue in degrees) of '#rrggbb', float32 (3,)."""
    return oklab_to_oklch(linear_to_oklab(hex_to_linear(color)))


def harmonized(way: str, base: str, colors: Sequence[str], degrees: float = 30.0) -> list[Harmonized]:
    """Each color as it goes with the base, keeping what the way leaves. way: of WAYS. degrees: of a turn, and between
    neighbors, which lie right and left of the base in turn. Raises KeyError for another way."""
    words = WAYS[way]
    assert words
    first, made = lch_of(base), []
    for number, color in enumerate(colors):
        lightness, chroma, hue = (float(v) for v in lch_of(color))
        if way == TURN:
            hue += degrees
        elif way == LIGHTNESS:
            lightness = float(first[0])
        else:
            chroma = chroma if chroma >= _GRAY else float(first[1])
            step = degrees * (number // 2 + 1) * (1 if number % 2 == 0 else -1)
            hue = float(first[2]) + (180.0 if way == OPPOSITE else step)
        wanted = np.array([lightness, chroma, hue % 360], np.float32)
        made.append(Harmonized(linear_to_hex(css_mapped(wanted)), is_in_gamut(wanted)))
    return made
