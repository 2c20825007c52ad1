"""What values by chance keep to: ranges of lightness, chroma and hue in OKLCh, colors that they stay away from; and the
same narrowed to what somebody liked.

The narrowing is a stated rule and no learning: of each parameter the next values lie within the span of the liked ones,
a little wider on both sides.
"""

from collections.abc import Mapping, Sequence
from functools import cache

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.color.encoding import DECODE_8BIT, F32
from evenpalette.core.color.hexcode import format_hex, hex_to_linear, linear_to_hex
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_linear, oklab_to_oklch, oklch_to_oklab
from evenpalette.core.document.crowd import Limit
from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import Value, ValueType

#: By how much the span of what was liked is wider on both sides: OKLCh lightness, chroma, degrees of hue, and the part
#: of a number's range.
WIDER = (0.06, 0.03, 20.0, 0.1)
#: Less chroma has no hue that a limit of hue could mean.
_LEAST_CHROMA = 0.02
_TRIES, _CODES = 300, 52
#: What rounding to 8-bit codes is forgiven.
_SLACK = 1e-6


def keeps(limit: Limit, value: Value) -> bool:
    """Whether a value is within a limit, but for contrast, which only the whole asset has."""
    if isinstance(value, str) and value.startswith("#"):
        return bool(_kept(limit, hex_to_linear(value).reshape(1, 3))[0])
    if limit.numbers is not None and isinstance(value, int | float) and not isinstance(value, bool):
        return limit.numbers[0] - _SLACK <= float(value) <= limit.numbers[1] + _SLACK
    return True


def _kept(limit: Limit, linear: F32) -> NDArray[np.bool_]:
    """Which of colors (n, 3) are within a limit."""
    lch = oklab_to_oklch(linear_to_oklab(linear)).astype(np.float64)
    good = np.ones(len(lch), bool)
    for held, column in ((limit.lightness, lch[:, 0]), (limit.chroma, lch[:, 1])):
        if held is not None:
            good &= (column >= held[0] - _SLACK) & (column <= held[1] + _SLACK)
    if limit.hue is not None:
        low, high = limit.hue
        inside = (lch[:, 2] >= low) & (lch[:, 2] <= high) if low <= high else (lch[:, 2] >= low) | (lch[:, 2] <= high)
        good &= inside & (lch[:, 1] >= min(_LEAST_CHROMA, limit.chroma[1] if limit.chroma else 1.0) - _SLACK)
    for color in limit.avoid:
        if good.any():
            good[good] &= difference_of_linear(linear[good], hex_to_linear(color)) >= limit.apart
    return good


def color_within(limit: Limit, source: np.random.Generator, called: str) -> str:
    """A color by chance within a limit, '#rrggbb'. called: the parameter, for a message. Raises RecipeError where no
    color is."""
    light, chroma = limit.lightness or (0.18, 0.93), limit.chroma or (0.0, 0.33)
    hue = limit.hue or (0.0, 360.0)
    arc = hue[1] - hue[0] if hue[0] <= hue[1] else hue[1] - hue[0] + 360
    draws = source.random((_TRIES, 3))
    lch = np.stack([
        light[0] + draws[:, 0] * (light[1] - light[0]), chroma[0] + draws[:, 1] * (chroma[1] - chroma[0]),
        (hue[0] + draws[:, 2] * arc) % 360,
    ], 1)  # fmt: skip
    rgb = oklab_to_linear(oklch_to_oklab(lch))
    shown = np.flatnonzero((rgb.min(1) >= 0) & (rgb.max(1) <= 1))
    for at in shown:
        found = linear_to_hex(rgb[at])
        if keeps(limit, found):
            return found
    # Little is within: all colors of a fine grid that are.
    codes, linear = _grid()
    good = np.flatnonzero(_kept(limit, linear))
    if not len(good):
        raise RecipeError(f"No color is within the limits of {called}. Let them be wider.")
    r, g, b = (int(code) for code in codes[good[int(source.integers(len(good)))]])
    return format_hex((r, g, b))


@cache
def _grid() -> tuple[NDArray[np.int64], F32]:
    """Codes of sRGB in a fine grid, and as linear light."""
    axis = np.unique(np.rint(np.linspace(0, 255, _CODES)).astype(np.int64))
    codes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1).reshape(-1, 3)
    return codes, np.asarray(np.asarray(DECODE_8BIT)[codes], np.float32)


def narrowed(
    parameters: Sequence[Parameter], limits: Mapping[str, Limit], liked: Sequence[Mapping[str, Value]]
) -> tuple[dict[str, Limit], dict[str, tuple[Value, ...]]]:
    """Limits within the span of what was liked, a little wider; and of what is chosen among few, the ones that were
    liked. Nothing changes where nothing was liked. A span that no limit allows is left out."""
    found, among = dict(limits), {}
    for parameter in parameters if liked else ():
        values = [held[parameter.id] for held in liked]
        known = limits.get(parameter.id, Limit(parameter=parameter.id))
        if parameter.type is ValueType.COLOR:
            lch = np.stack([oklab_to_oklch(linear_to_oklab(hex_to_linear(str(v)))) for v in values]).astype(float)
            colored = lch[lch[:, 1] >= _LEAST_CHROMA, 2]
            hue = _common_arc(known.hue, _arc(colored, WIDER[2])) if len(colored) else known.hue
            found[parameter.id] = known.model_copy(update={
                "lightness": _common(known.lightness, _span(lch[:, 0], WIDER[0], 1.0)),
                "chroma": _common(known.chroma, _span(lch[:, 1], WIDER[1], 0.5)), "hue": hue,
            })  # fmt: skip
        elif parameter.is_number:
            wider = WIDER[3] * (parameter.high - parameter.low)
            numbers = np.array([float(v) for v in values])
            span = max(parameter.low, numbers.min() - wider), min(parameter.high, numbers.max() + wider)
            found[parameter.id] = known.model_copy(update={"numbers": _common(known.numbers, span)})
        elif parameter.type in (ValueType.CHOICE, ValueType.SWITCH, ValueType.TEXTURE):
            among[parameter.id] = tuple(dict.fromkeys(values))
    return found, among


def _span(values: NDArray[np.float64], wider: float, most: float) -> tuple[float, float]:
    return max(0.0, float(values.min()) - wider), min(most, float(values.max()) + wider)


def _common(known: tuple[float, float] | None, span: tuple[float, float]) -> tuple[float, float]:
    if known is None:
        return span
    low, high = max(known[0], span[0]), min(known[1], span[1])
    return (low, high) if low <= high else known


def _arc(hues: NDArray[np.float64], wider: float) -> tuple[float, float]:
    """The shortest arc that holds all hues, wider on both sides; the whole circle where that is nearly all."""
    hues = np.sort(hues % 360)
    gaps = np.diff(np.append(hues, hues[0] + 360))
    at = int(gaps.argmax())
    if gaps[at] <= 2 * wider:
        return 0.0, 360.0
    return float((hues[(at + 1) % len(hues)] - wider) % 360), float((hues[at] + wider) % 360)


def _common_arc(known: tuple[float, float] | None, arc: tuple[float, float]) -> tuple[float, float]:
    """What lies in both arcs, as one; the known one where that is none, or more than one."""
    if known is None or known == (0.0, 360.0):
        return arc
    if arc == (0.0, 360.0):
        return known
    whole = np.arange(0, 360, 1.0)

    def inside(held: tuple[float, float]) -> NDArray[np.bool_]:
        low, high = held
        return (whole >= low) & (whole <= high) if low <= high else (whole >= low) | (whole <= high)

    both = inside(known) & inside(arc)
    begins = np.flatnonzero(both & ~np.roll(both, 1))
    if len(begins) != 1:
        return known
    return float(begins[0]), float((begins[0] + both.sum() - 1) % 360)
