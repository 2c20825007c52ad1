"""Colors brought into sRGB by giving up chroma: the gamut mapping of CSS Color Module Level 4, section 13.2."""

import numpy as np

from evenpalette.core.color.encoding import F32
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_linear, oklch_to_oklab

#: A difference of OKLab that nobody sees, and how exact the search is.
_JND, _EXACT = 0.02, 1e-4


def is_in_gamut(lch: F32, slack: float = 1e-4) -> bool:
    """Whether an OKLCh color (3,) is within sRGB."""
    rgb = oklab_to_linear(oklch_to_oklab(lch))
    return bool(rgb.min() >= -slack and rgb.max() <= 1 + slack)


def css_mapped(lch: F32) -> F32:
    """An OKLCh color (3,) (lightness 0..1, chroma, hue in degrees) as linear light (3,), 0..1."""
    lightness, chroma, hue = (float(v) for v in lch)
    if lightness >= 1:
        return np.ones(3, np.float32)
    if lightness <= 0:
        return np.zeros(3, np.float32)

    def at(chroma: float) -> F32:
        return oklab_to_linear(oklch_to_oklab(np.array([lightness, chroma, hue])))

    def away(chroma: float, clipped: F32) -> float:
        lab = oklch_to_oklab(np.array([lightness, chroma, hue]))
        return float(np.linalg.norm(linear_to_oklab(clipped) - lab))

    whole = at(chroma)
    clipped = np.clip(whole, 0, 1)
    if is_in_gamut(np.array([lightness, chroma, hue]), 0.0) or away(chroma, clipped) < _JND:
        return np.asarray(clipped, np.float32)
    low, high, low_inside = 0.0, chroma, True
    while high - low > _EXACT:
        middle = (low + high) / 2
        tried = np.array([lightness, middle, hue])
        if low_inside and is_in_gamut(tried, 0.0):
            low = middle
            continue
        clipped = np.clip(at(middle), 0, 1)
        apart = away(middle, clipped)
        if apart >= _JND:
            high = middle
        elif _JND - apart < _EXACT:
            break
        else:
            low_inside, low = False, middle
    return np.asarray(clipped, np.float32)
