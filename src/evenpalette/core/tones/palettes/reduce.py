"""Pictures reduced to few colors: boxes of colors split where they vary most, then moved to the middle of what they
serve.

Splitting along the direction of largest variance: X. Wu, "Color quantization by dynamic programming and principal
analysis", ACM TOG 11(4), 1992. Refinement: S. Lloyd, "Least squares quantization in PCM", 1982. Both in DIN99b, in
which plain distance is close to CIEDE2000.
"""

from collections.abc import Callable, Sequence
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.kernels import njit
from evenpalette.core.raster.raster import Raster
from evenpalette.core.tones.palettes.census import Census, codes_of, points_of, take_census
from evenpalette.core.tones.palettes.mapping import Dither, map_codes
from evenpalette.core.tones.palettes.nearest import nearest

FEWEST, MOST = 2, 256
_ROUNDS = 6
#: Above so many different colors, nearly equal ones are learnt from together.
_MOST_POINTS = 24_000


class Order(StrEnum):
    """How the entries of a palette are put in order."""

    LIGHTNESS = "lightness"
    SHARE = "share"
    HUE = "hue"


@dataclass(frozen=True)
class Reduction:
    """palette: uint8 (n, 3 or 4), sRGB codes with alpha. indices: for each picture uint8 (height, width). shares: how
    much of what counts each entry stands for, float64 (n,), sum 1."""

    palette: NDArray[np.uint8]
    indices: tuple[NDArray[np.uint8], ...]
    shares: NDArray[np.float64]


@njit(nogil=True, cache=True)
def _moments(points, weights, order, start, stop, mean, cov):  # type: ignore[no-untyped-def]
    """Weight, mean and weighted scatter of a run of points."""
    dims, total = points.shape[1], 0.0
    mean[:] = 0
    cov[:] = 0
    for j in range(start, stop):
        i = order[j]
        total += weights[i]
        for a in range(dims):
            mean[a] += weights[i] * points[i, a]
    for a in range(dims):
        mean[a] /= total
    for j in range(start, stop):
        i = order[j]
        for a in range(dims):
            away = weights[i] * (points[i, a] - mean[a])
            for b in range(a + 1):
                cov[a, b] += away * (points[i, b] - mean[b])
    for a in range(dims):
        for b in range(a):
            cov[b, a] = cov[a, b]
    return total


@njit(nogil=True, cache=True)
def _main_direction(cov, direction):  # type: ignore[no-untyped-def]
    """The direction of the largest scatter by the power method; returns the scatter."""
    dims, best = cov.shape[0], 0
    for a in range(dims):
        if cov[a, a] > cov[best, best]:
            best = a
    direction[:] = cov[best]
    value = 0.0
    for _ in range(24):
        length = 0.0
        for a in range(dims):
            length += direction[a] * direction[a]
        length = np.sqrt(length)
        if length < 1e-30:
            direction[:] = 0
            return 0.0
        direction /= length
        value = length
        moved = np.zeros(dims)
        for a in range(dims):
            for b in range(dims):
                moved[a] += cov[a, b] * direction[b]
        direction[:] = moved
    length = np.sqrt((direction * direction).sum())
    if length > 0:
        direction /= length
    return max(value, length)


@njit(nogil=True, cache=True)
def _split(points, weights, wanted, centers):  # type: ignore[no-untyped-def]
    """Split the box with the largest scatter along its main direction until there are so many boxes. Returns the
    count."""
    n, dims = points.shape
    order = np.arange(n)
    starts, stops = np.zeros(wanted, np.int64), np.zeros(wanted, np.int64)
    scatter, directions = np.zeros(wanted), np.zeros((wanted, dims))
    mean, cov = np.zeros(dims), np.zeros((dims, dims))
    starts[0], stops[0] = 0, n
    _moments(points, weights, order, 0, n, mean, cov)
    centers[0] = mean
    scatter[0] = _main_direction(cov, directions[0])
    count = 1
    while count < wanted:
        box = 0
        for k in range(1, count):
            if scatter[k] > scatter[box]:
                box = k
        start, stop = starts[box], stops[box]
        if scatter[box] <= 1e-12 or stop - start < 2:
            break
        run = order[start:stop].copy()
        along = np.empty(stop - start)
        for j in range(stop - start):
            value = 0.0
            for a in range(dims):
                value += (points[run[j], a] - centers[box, a]) * directions[box, a]
            along[j] = value
        sorted_ = np.argsort(along)
        total, moment = 0.0, 0.0
        for j in range(stop - start):
            total += weights[run[sorted_[j]]]
            moment += weights[run[sorted_[j]]] * along[sorted_[j]]
        left, held, best, cut = 0.0, 0.0, -1.0, 0
        for j in range(stop - start - 1):
            i = sorted_[j]
            left += weights[run[i]]
            held += weights[run[i]] * along[i]
            gain = held * held / left + (moment - held) ** 2 / (total - left)
            # Never between equal colors.
            if gain > best and along[sorted_[j + 1]] > along[i]:
                best, cut = gain, j + 1
        if cut == 0:
            scatter[box] = 0
            continue
        for j in range(stop - start):
            order[start + j] = run[sorted_[j]]
        starts[count], stops[count] = start + cut, stop
        stops[box] = start + cut
        for k in (box, count):
            _moments(points, weights, order, starts[k], stops[k], mean, cov)
            centers[k] = mean
            scatter[k] = _main_direction(cov, directions[k])
        count += 1
    return count


def choose_palette(
    census: Census,
    count: int,
    locked: NDArray[np.uint8] | None = None,
    progress: Callable[[float], None] = lambda _: None,
) -> NDArray[np.uint8]:
    """The palette of at most `count` colors that serves a census best, uint8 (n, 3 or 4); locked colors first.

    locked: uint8 (m, 3 or 4), m below count. Raises EvenPaletteError for a count outside 2..256.
    """
    if not FEWEST <= count <= MOST:
        raise EvenPaletteError(f"A palette has {FEWEST} to {MOST} colors, not {count}.")
    fixed: NDArray[np.uint8] = (
        np.zeros((0, census.channels), np.uint8) if locked is None else _with_alpha(locked, census.channels)
    )
    if len(fixed) >= count:
        raise EvenPaletteError(f"{len(fixed)} colors are locked and {count} wanted: at least one must be free.")
    points, weights = _merged(census)
    dims, held = points.shape[1], points_of(fixed) if len(fixed) else np.zeros((0, points.shape[1]), np.float32)
    free = np.ones(len(points), bool)
    if len(fixed):
        # What a locked color serves is not split among the free ones.
        free = nearest(points, held)[1] > (np.sqrt(float(points.var(0).sum())) / count) ** 2
    centers = np.zeros((count - len(fixed), dims))
    chosen = points[free].astype(np.float64) if free.any() else points.astype(np.float64)
    found = _split(np.ascontiguousarray(chosen), weights[free] if free.any() else weights, len(centers), centers)
    centers = centers[:found].astype(np.float32)
    for turn in range(_ROUNDS):
        best, _ = nearest(points, np.concatenate([held, centers]))
        held_by = np.bincount(best, weights, len(held) + len(centers))[len(held) :]
        for a in range(dims):
            sums = np.bincount(best, weights * points[:, a], len(held) + len(centers))[len(held) :]
            centers[:, a] = np.where(held_by > 0, sums / np.maximum(held_by, 1e-12), centers[:, a])
        progress((turn + 1) / _ROUNDS)
    best, _ = nearest(census.points, np.concatenate([held, centers]))
    totals = np.bincount(best, census.weights, len(held) + len(centers))
    codes = np.stack(
        [np.bincount(best, census.weights * census.codes[:, a], len(totals)) for a in range(census.channels)], 1
    )
    served = totals[len(held) :] > 0
    means = np.rint(codes / np.maximum(totals, 1e-12)[:, None]).astype(np.uint8)[len(held) :][served]
    whole = np.concatenate([fixed, means])
    _, first = np.unique(whole, axis=0, return_index=True)
    return np.ascontiguousarray(whole[np.sort(first)])


def _merged(census: Census) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
    """Points and weights to learn from: where there are very many, those that are nearly equal together."""
    if len(census.weights) <= _MOST_POINTS:
        return census.points, census.weights
    kept = (census.codes.astype(np.int64) >> 2) << np.array([0, 6, 12, 18][: census.channels])
    _, inverse = np.unique(kept.sum(1), return_inverse=True)
    inverse = inverse.reshape(-1)
    weights = np.bincount(inverse, census.weights)
    columns = [
        np.bincount(inverse, census.weights * census.points[:, a]) / weights for a in range(census.points.shape[1])
    ]
    return np.ascontiguousarray(np.stack(columns, 1), np.float32), np.asarray(weights, np.float64)


def _with_alpha(colors: NDArray[np.uint8], channels: int) -> NDArray[np.uint8]:
    if colors.shape[1] < channels:
        return np.concatenate([colors, np.full((len(colors), 1), 255, np.uint8)], 1)
    return np.ascontiguousarray(colors[:, :channels])


def ordered(palette: NDArray[np.uint8], order: Order, shares: NDArray[np.float64]) -> NDArray[np.int64]:
    """Places of the entries, uint8 (n, 3 or 4), in an order: dark to light, most used first, or round the hues."""
    points = points_of(palette[:, :3])
    if order is Order.SHARE:
        return np.argsort(-shares, kind="stable")
    if order is Order.HUE:
        hue, chroma = np.arctan2(points[:, 2], points[:, 1]), np.hypot(points[:, 1], points[:, 2])
        return np.lexsort((points[:, 0], np.round(hue, 2), chroma >= 4))
    return np.lexsort((points[:, 2], points[:, 1], np.round(points[:, 0], 3)))


def reduce_pictures(
    rasters: Sequence[Raster], count: int, *, dither: Dither = Dither.NONE, importance: Sequence[NDArray | None] = (),
    locked: NDArray[np.uint8] | None = None, order: Order = Order.LIGHTNESS, progress: Callable[[float], None] = lambda _: None,
) -> Reduction:  # fmt: skip
    """One palette for pictures of color and the entry of every texel.

    rasters: 8-bit codes are taken as they are, wider ones as their nearest codes. count: 2 to 256; fewer come out where
    the pictures have fewer. importance: for each picture weights (height, width), as coverages of regions or a painted
    mask. locked: colors that the palette has whatever the pictures need. Raises EvenPaletteError, ImageFileError.
    """
    census = take_census(rasters, importance)
    palette = choose_palette(census, count, locked, lambda done: progress(done * 0.6))
    best, _ = nearest(census.points, points_of(palette))
    shares = np.bincount(best, census.weights, len(palette)) / census.weights.sum()
    places = ordered(palette, order, shares)
    palette, shares = palette[places], shares[places]
    rank = np.empty(len(places), np.int64)
    rank[places] = np.arange(len(places))
    indices = []
    for number, raster in enumerate(rasters):
        codes = codes_of(raster, alpha=census.channels == 4)
        indices.append(map_codes(codes, palette, dither, known=(census.cells, rank[best])))
        progress(0.6 + 0.4 * (number + 1) / len(rasters))
    return Reduction(np.ascontiguousarray(palette), tuple(indices), shares)
