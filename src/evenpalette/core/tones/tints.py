"""The tint of a region: the one color whose multiples most of its texels are, told apart from stains, stripes and
flags.

In linear light the multiples of a color lie on a line from black. The line is found where most of the weight points,
and bettered by least squares in which texels that point elsewhere count less and less (Tukey's biweight; F. R. Hampel
and others, "Robust Statistics", 1986). Without stains this is the least-squares factor of rank one (C. Eckart and G.
Young, "The approximation of one matrix by another of lower rank", 1936).
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.color.encoding import F32
from evenpalette.core.color.hexcode import linear_to_hex
from evenpalette.core.dataclass import dataclass

#: Colors darker than this, linear, point anywhere: a code of 8 bits turns them by degrees.
_DARK = 0.01
#: Texels that point further away than so many spreads do not count; 95% efficiency (Tukey's biweight).
_TUNING = 4.685
#: The spread is at least this many radians: what rounding to 8 bits makes of textured paint.
_LEAST_SPREAD = 0.02
_BINS = 48
#: Brightness beyond the upper quartile by so many interquartile ranges is no paint of the region (Tukey's far out is
#: 3).
_FAR_OUT = 4.0
_MOST_TEXELS = 300_000
#: From this part of the weight on, and this CIEDE2000 between the two at one lightness, a region holds two hues.
SECOND_SHARE, SECOND_APART = 0.08, 12.0


@dataclass(frozen=True)
class TintFit:
    """tint: '#rrggbb'. direction: its line, linear RGB of length 1. inside: the part of the weight that lies on it.

    second: the tint of another hue in the region, '' without one, and the part of the weight that it has.
    """

    tint: str
    direction: NDArray[np.float64]
    inside: float
    second: str = ""
    second_share: float = 0.0


_NOTHING = TintFit("#808080", np.ones(3) / np.sqrt(3), 0.0)


def fit_tint(colors: F32, weights: NDArray, white_percentile: float = 99.9) -> TintFit:
    """The tint of texels, linear RGB (n, 3), by weights (n,) of coverage and what is seen.

    The tint is scaled so that the gray is white at `white_percentile` of the brightness of what lies on the line: 100
    keeps the brightest texel. The gamut of the tint limits it.
    """
    chosen = np.flatnonzero(weights > 0)
    if not len(chosen):
        return _NOTHING
    if len(chosen) > _MOST_TEXELS:
        chosen = chosen[:: len(chosen) // _MOST_TEXELS + 1]
    points, held = np.maximum(colors[chosen].astype(np.float64), 0), np.asarray(weights[chosen], np.float64)
    length = np.linalg.norm(points, axis=1)
    votes = held * length / (length + _DARK * 2)
    if votes.sum() <= 0:
        return TintFit("#000000" if length.max() == 0 else "#808080", _NOTHING.direction, 1.0)
    direction, on = _line(points, length, votes)
    inside = float((votes * on).sum() / votes.sum())
    tint = _scaled(points, held * on, direction, white_percentile)
    off = votes * (1 - on) * (length > 2 * _DARK)
    second, share = "", float(off.sum() / votes.sum())
    if share >= SECOND_SHARE:
        other, lies = _line(points, length, off)
        share = float((off * lies).sum() / votes.sum())
        level = 0.25
        apart = float(difference_of_linear(direction * level / _gray(direction), other * level / _gray(other)))
        if share >= SECOND_SHARE and apart >= SECOND_APART:
            second = linear_to_hex(_scaled(points, held * lies * (off > 0), other, white_percentile).astype(np.float32))
    return TintFit(linear_to_hex(tint.astype(np.float32)), direction, inside, second, share if second else 0.0)


def _gray(direction: NDArray) -> float:
    return float(max(direction @ np.array([0.2126, 0.7152, 0.0722]), 1e-6))


def _line(points: NDArray, length: NDArray, votes: NDArray) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The direction that most votes share, and how far each texel lies on it, 0 or 1."""
    seen = np.flatnonzero((votes > 0) & (length > 1e-6))
    unit = points[seen] / length[seen, None]
    direction = _mode(unit, votes[seen])
    spread = 0.05
    for turn in range(12):
        angle = np.arccos(np.clip(unit @ direction, -1, 1))
        reach = _TUNING * spread
        share = np.where(angle < reach, (1 - (angle / reach) ** 2) ** 2, 0.0)
        # Bright texels point more exactly, and yet none outweighs the others.
        pull = votes[seen] * share * np.minimum(length[seen], 3 * np.median(length[seen]))
        if pull.sum() <= 0:
            break
        scatter = (unit * pull[:, None]).T @ unit
        found = np.abs(np.linalg.eigh(scatter)[1][:, -1])
        near = angle < max(reach, 0.1)
        order = np.argsort(angle[near])
        middle = np.cumsum(votes[seen][near][order])
        half = angle[near][order][np.searchsorted(middle, middle[-1] / 2)] if near.any() else 0.0
        spread = min(0.08, max(_LEAST_SPREAD, 1.4826 * float(half)))
        done = float(found @ direction) > 1 - 1e-12 and turn > 2
        direction = found
        if done:
            break
    away = np.arccos(np.clip((points @ direction) / np.maximum(length, 1e-12), -1, 1))
    # Dark texels may be off by what rounding makes of them.
    allowed = _TUNING * spread + 0.004 / np.maximum(length, 1e-4)
    return direction, (away <= allowed).astype(np.float64)


def _mode(unit: NDArray, votes: NDArray) -> NDArray[np.float64]:
    """Where most votes point: the peak of a smoothed histogram of shares of red and green."""
    shares = unit / unit.sum(1, keepdims=True)
    place = np.clip(shares[:, :2] * (_BINS - 1), 0, _BINS - 1)
    low = np.floor(place).astype(int)
    grid = np.zeros((_BINS + 1, _BINS + 1))
    part = place - low
    for dx in (0, 1):
        for dy in (0, 1):
            held = votes * np.abs(1 - dx - part[:, 0]) * np.abs(1 - dy - part[:, 1])
            np.add.at(grid, (low[:, 0] + dx, low[:, 1] + dy), held)
    kernel = np.array([1, 4, 6, 4, 1]) / 16
    for axis in (0, 1):
        grid = np.apply_along_axis(lambda line: np.convolve(line, kernel, "same"), axis, grid)
    x, y = np.unravel_index(int(grid.argmax()), grid.shape)
    near = (np.abs(place - (x, y)) < 3).all(1)
    mean = (unit[near] * votes[near, None]).sum(0) if near.any() else (unit * votes[:, None]).sum(0)
    return np.asarray(mean / max(float(np.linalg.norm(mean)), 1e-12))


def _scaled(points: NDArray, weights: NDArray, direction: NDArray, white_percentile: float) -> NDArray[np.float64]:
    """The direction so long that the gray of `white_percentile` of the weight is at most 1."""
    kept = weights > 0
    grays = points[kept] @ direction
    if not len(grays):
        return direction * 0.5
    order = np.argsort(grays)
    grays, reached = grays[order], np.cumsum(weights[kept][order])
    at = [float(grays[min(np.searchsorted(reached, reached[-1] * share), len(grays) - 1)]) for share in (0.25, 0.75)]
    white = float(grays[min(np.searchsorted(reached, reached[-1] * white_percentile / 100), len(grays) - 1)])
    # As the eye spaces brightness: far beyond the bulk of the region is no paint of it.
    low, high = np.cbrt(at[0]), np.cbrt(at[1])
    if white_percentile < 100:
        fence = (high + _FAR_OUT * max(high - low, 0.03)) ** 3
        inside = grays[grays <= fence]
        white = min(white, float(inside[-1]) if len(inside) else white)
    tint = direction * max(white, 1e-4)
    return np.asarray(tint / max(1.0, float(tint.max())))


def fit_tints(
    painted: F32, coverages: Sequence[NDArray[np.uint8]], seen: NDArray | None = None, hidden: F32 | None = None,
    white_percentile: float = 99.9,
) -> list[TintFit]:  # fmt: skip
    """The tint of every region.

    painted: linear RGB (height, width, 3). coverages: uint8 (height, width). seen: weights (height, width) 0..1, how
    much a texel is seen at all: on a face, and not transparent; None is all alike. hidden: 0..1 (height, width), how
    much of the paint lies under dirt; such texels do not vote.
    """
    found = []
    flat = painted.reshape(-1, 3)
    for coverage in coverages:
        # The rim of a region is a mixture with its neighbor: only what is its own votes, where there is enough of it.
        weights = np.where(coverage >= 250, 1.0, 0.0)
        if seen is not None:
            weights = weights * seen
        if hidden is not None:
            clear = weights * (hidden < 0.02)
            weights = clear if np.count_nonzero(clear) >= 64 else weights
        if not weights.any():
            weights = coverage / 255.0 if seen is None else coverage / 255.0 * seen
        if not weights.any():
            weights = coverage / 255.0
        found.append(fit_tint(flat, weights.reshape(-1), white_percentile))
    return found
