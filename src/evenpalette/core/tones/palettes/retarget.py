"""Rows of a palette for other times and moods: every entry is moved, the index texture stays.

Mood: E. Reinhard, M. Ashikhmin, B. Gooch, P. Shirley, "Color transfer between images", IEEE CG&A 21(5), 2001, in OKLab.
Lightness keeps its order: entries are given the new lightnesses in the order of the old ones, so that what was lighter
stays lighter and shapes stay readable.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_srgb_8bit, encode_srgb
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_linear, oklab_to_oklch, oklch_to_oklab
from evenpalette.core.raster.raster import Raster
from evenpalette.core.tones.palettes.census import take_census

Lab = NDArray[np.float64]


def _to_lab(palette: NDArray[np.uint8]) -> Lab:
    return linear_to_oklab(decode_srgb_8bit(palette[:, :3])).astype(np.float64)


def _to_codes(lab: Lab) -> NDArray[np.uint8]:
    """OKLab to 8-bit sRGB; what is outside the gamut gives up chroma."""
    low, high = np.zeros(len(lab)), np.ones(len(lab))
    lab = lab.copy()
    lab[:, 0] = np.clip(lab[:, 0], 0, 1)

    def fits(share: NDArray) -> NDArray[np.bool_]:
        rgb = oklab_to_linear(np.concatenate([lab[:, :1], lab[:, 1:] * share[:, None]], 1))
        return np.asarray((rgb > -1e-4).all(1) & (rgb < 1 + 1e-4).all(1))

    outside = ~fits(high)
    for _ in range(20):
        middle = np.where(outside, (low + high) / 2, 1.0)
        inside = fits(middle)
        low, high = np.where(inside, middle, low), np.where(inside, high, middle)
    share = np.where(outside, low, 1.0)
    rgb = oklab_to_linear(np.concatenate([lab[:, :1], lab[:, 1:] * share[:, None]], 1))
    return np.rint(encode_srgb(np.clip(rgb, 0, 1)) * 255).astype(np.uint8)


def in_old_order(new: NDArray, old: NDArray) -> NDArray:
    """The values of `new` given out in the order of `old`, each (n,): equal old values keep their new order."""
    out = np.empty_like(new)
    out[np.lexsort((new, old))] = np.sort(new)
    return out


def _changed(palette: NDArray[np.uint8], change: Callable[[Lab], Lab], *, keep_order: bool) -> NDArray[np.uint8]:
    before = _to_lab(palette)
    after = change(before)
    if keep_order:
        after[:, 0] = in_old_order(after[:, 0], before[:, 0])
    out = palette.copy()
    out[:, :3] = _to_codes(after)
    if keep_order:
        # Rounding to codes may turn near ties about.
        lightness = _to_lab(out)[:, 0]
        for a, b in zip(*(lambda o: (o[:-1], o[1:]))(np.argsort(before[:, 0], kind="stable")), strict=True):
            if lightness[b] < lightness[a] - 1e-3 and before[b, 0] > before[a, 0] + 1e-4:
                out[b, :3] = out[a, :3]
                lightness[b] = lightness[a]
    return out


def hue_turned(palette: NDArray[np.uint8], degrees: float, *, keep_order: bool = True) -> NDArray[np.uint8]:
    """All hues turned in OKLCh."""

    def change(lab: Lab) -> Lab:
        lch = oklab_to_oklch(lab).astype(np.float64)
        lch[:, 2] += degrees
        return oklch_to_oklab(lch).astype(np.float64)

    return _changed(palette, change, keep_order=keep_order)


def warmer(palette: NDArray[np.uint8], amount: float, *, keep_order: bool = True) -> NDArray[np.uint8]:
    """Toward warm for amounts to 1, toward cool to -1: along OKLab's blue to yellow and a little green to red."""

    def change(lab: Lab) -> Lab:
        return lab + np.array([0.0, 0.018, 0.06]) * amount * (0.35 + lab[:, :1])

    return _changed(palette, change, keep_order=keep_order)


def night(palette: NDArray[np.uint8], amount: float = 1.0, *, keep_order: bool = True) -> NDArray[np.uint8]:
    """Darker, bluer, less colorful, as the eye sees by moonlight (the shift toward blue is common practice, no
    source)."""

    def change(lab: Lab) -> Lab:
        dark = lab * np.array([0.52, 0.45, 0.45]) + np.array([0.02, -0.012, -0.045])
        return lab + (dark - lab) * amount

    return _changed(palette, change, keep_order=keep_order)


def in_mood(
    palette: NDArray[np.uint8],
    picture: Raster,
    shares: NDArray | None = None,
    amount: float = 1.0,
    *,
    keep_order: bool = True,
) -> NDArray[np.uint8]:
    """Mean and spread of OKLab as in another picture. shares: how much each entry counts, (n,)."""
    census = take_census([picture])
    there = linear_to_oklab(decode_srgb_8bit(np.rint(census.codes[:, :3]).astype(np.uint8))).astype(np.float64)
    weights = np.ones(len(palette)) if shares is None else np.maximum(shares, 1e-6)

    def change(lab: Lab) -> Lab:
        mean, other = np.average(lab, 0, weights), np.average(there, 0, census.weights)
        spread = np.sqrt(np.average((lab - mean) ** 2, 0, weights))
        wanted = np.sqrt(np.average((there - other) ** 2, 0, census.weights))
        moved = (lab - mean) * np.clip(wanted / np.maximum(spread, 1e-4), 0.2, 3.0) + other
        return lab + (moved - lab) * amount

    return _changed(palette, change, keep_order=keep_order)
