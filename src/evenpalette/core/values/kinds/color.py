"""A color: sRGB as '#rrggbb'. Between two: on a straight line in OKLab. By chance: in OKLCh (B. Ottosson 2020, CSS
Color 4), hue around the circle, chroma by a factor, lightness a little, and back into the sRGB gamut; how far each
moves is common practice, no source."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.color.hexcode import hex_to_linear, linear_to_hex, normalize_hex, parse_hex
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_linear, oklab_to_oklch, oklch_to_linear_in_gamut
from evenpalette.core.values.kind import Value, ValueKind, ValueType, Within, text_of

if TYPE_CHECKING:
    from numpy.random import Generator

#: At full spread: turns of hue, doublings of chroma, OKLab lightness; and the chroma that a gray may take on.
_HUE, _CHROMA, _LIGHTNESS, _GRAY_CHROMA = 0.5, 1.0, 0.5, 0.25
#: Darker or lighter ones are not rolled: they tell little of their hue.
_DARKEST, _LIGHTEST = 0.18, 0.93
#: A color with less chroma has no hue that could be turned.
_GRAY = 0.02


def _mixed(one: Value, other: Value, t: float) -> Value:
    first, second = (linear_to_oklab(hex_to_linear(str(color))) for color in (one, other))
    return linear_to_hex(np.clip(oklab_to_linear(first + (second - first) * t), 0, 1))


def varied_color(now: str, spread: float, source: "Generator") -> str:
    """A color near another one, by chance."""
    lightness, chroma, hue = (float(part) for part in oklab_to_oklch(linear_to_oklab(hex_to_linear(now))))
    turn, factor = (float(source.uniform(-1, 1)) * spread for _ in range(2))
    if chroma < _GRAY:
        chroma, hue = chroma + _GRAY_CHROMA * abs(factor), float(source.uniform(0, 360))
    else:
        chroma, hue = chroma * 2 ** (factor * _CHROMA), hue + 360 * _HUE * turn
    # Among those in reach that show what color they are.
    low, high = (min(max(lightness + way * spread * _LIGHTNESS, _DARKEST), _LIGHTEST) for way in (-1, 1))
    lightness = float(source.uniform(min(low, lightness), max(high, lightness)))
    return linear_to_hex(oklch_to_linear_in_gamut(np.array([lightness, chroma, hue % 360], np.float32)))


def _told(value: Value, within: Within, files: Mapping[str, str]) -> dict[str, object]:
    text = str(value)
    linear = [round(float(part), 7) for part in decode_srgb(np.array(parse_hex(text)) / 255)]
    return {"hex": text, "linear": linear}


def _rank(value: Value, within: Within) -> tuple[Any, ...]:
    """Grays by lightness first, then around the circle."""
    lightness, chroma, hue = (float(part) for part in oklab_to_oklch(linear_to_oklab(hex_to_linear(str(value)))))
    return (chroma >= _GRAY, hue if chroma >= _GRAY else 0.0, lightness)


def _accept(value: object, within: Within) -> Value:
    return normalize_hex(text_of(value, ValueType.COLOR, within))


KIND = ValueKind(
    ValueType.COLOR, 0, _accept,
    prepared=lambda value, within, seconds: hex_to_linear(str(value)), told=_told, rank=_rank,
    others=lambda now, within: ("#000000", "#ffffff", "#ff0000", "#0000ff"),
    mixed=_mixed, between=lambda a, b: f"ep_mixed_color({a}, {b}, t)",
    varied=lambda now, within, spread, source: varied_color(str(now), spread, source),
    shader_type=lambda within: "vec3", is_typed=True, is_short=True, is_parameter=True,
    differs_by_copy=True,
)  # fmt: skip
