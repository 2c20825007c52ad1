"""A tone fitted so that the recipe rebuilds the painted original.

The tints come first (`tints`), then the gray is solved texel by texel *through the whole recipe*. Most steps are affine
in the gray, so two evaluations, with gray 0 and gray 1, give the line `b + a * g` that the texel can move on, and
`g = a . (c - b) / (a . a)` is the least-squares answer even on soft edges and under dirt; where a step bends that line
(a hue shift, a grade) the answer is bettered by a few rounds of Gauss and Newton's method.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.color.encoding import F32
from evenpalette.core.color.hexcode import linear_to_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.parallel import Progress, no_progress, row_strips
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.evaluate import evaluate, weigh_rows
from evenpalette.core.recipe.plan import whole_plan
from evenpalette.core.recipe.sources import Sources, TileReads
from evenpalette.core.recipe.weights import TileWeights
from evenpalette.core.tones.gray import PRINCIPAL, along, gray_as_linear, principal_direction

#: Texels of one strip: what is held in floats at once.
_STRIP_TEXELS = 1 << 20
#: Steps that leave the straight line by more than this, linear, are not affine in the gray.
_BENT = 2e-3
_ROUNDS = 5
_MOST_MEASURED = 1 << 21
_LOOKED_FOR = 3


@dataclass(frozen=True)
class RegionFit:
    """How well one region is rebuilt: CIEDE2000 mean and 95th percentile, and the mean linear gray of its tone,
    0..1."""

    region: str
    tint: str
    mean_difference: float
    p95_difference: float
    mean_gray: float


def solve_gray(steps: Sequence[BoundStep], sources: Sources, painted: Raster, progress: Progress = no_progress) -> F32:
    """The gray (height, width), float32 from 0 up, with which the steps rebuild `painted` best.

    Above 1 only where the paint is brighter than white (HDR). In strips, so that only one picture of floats is held.
    """
    height, width = painted.height, painted.width
    gray = np.zeros((height, width, 1), np.float32)
    brightest = float(painted.pixels.max()) if painted.pixels.dtype == np.float32 else 1.0
    known_sum, known_count, bent = 0.0, 0, False

    def run(rows: slice) -> F32:
        base = replace(sources, base=Raster(gray, Encoding.DATA))
        return evaluate(steps, base, box=(0, rows.start, width, rows.stop), float_output=True).pixels

    strips = row_strips(height, width, _STRIP_TEXELS)
    # From the middle outward, where the work is.
    strips.sort(key=lambda rows: abs(rows.start - height / 2))
    for number, rows in enumerate(strips):
        wanted = Raster(painted.pixels[rows], painted.encoding).as_linear_rgb()
        gray[rows] = 0
        low = run(rows)
        gray[rows] = 1
        slope = run(rows) - low
        power, aim = _dots(slope, slope), _dots(slope, wanted - low)
        known = power > 1e-5
        known_sum, known_count = known_sum + float((aim[known] / power[known]).sum()), known_count + int(known.sum())
        weight = np.float32(1e-7)
        typical = known_sum / known_count if known_count else 0.5
        found = np.clip((aim + weight * typical) / (power + weight), 0, max(1.0, brightest))
        gray[rows] = found[..., None]
        # Whether steps bend the line is looked for until none is found in several strips.
        if not bent and number >= _LOOKED_FOR:
            progress((number + 1) / len(strips))
            continue
        now = run(rows)
        if np.abs(now - (low + slope * found[..., None])).max() > _BENT:
            bent = True
            gray[rows] = _bettered(lambda g, r=rows: _put(gray, r, g, run), found, now, wanted, brightest)[..., None]  # type: ignore[misc]
        progress((number + 1) / len(strips))
    return np.asarray(gray[..., 0])


def _put(gray: F32, rows: slice, values: F32, run: Callable[[slice], F32]) -> F32:
    gray[rows] = values[..., None]
    return run(rows)


def _dots(a: F32, b: F32) -> F32:
    return np.asarray(np.einsum("ijk,ijk->ij", a, b))


def _bettered(run: Callable[[F32], F32], gray: F32, now: F32, wanted: F32, brightest: float) -> F32:
    """The gray through steps that are not affine in it: Gauss and Newton's method, kept only where it is better."""
    best, error = gray, _dots(now - wanted, now - wanted)
    for _ in range(_ROUNDS):
        small = np.where(gray < 0.5, 0.01, -0.01).astype(np.float32)
        slope = (run(gray + small) - now) / small[..., None]
        moved = _dots(slope, wanted - now) / (_dots(slope, slope) + np.float32(1e-6))
        gray = np.clip(gray + np.clip(moved, -0.3, 0.3), 0, max(1.0, brightest)).astype(np.float32)
        now = run(gray)
        found = _dots(now - wanted, now - wanted)
        better = found < error
        best, error = np.where(better, gray, best), np.where(better, found, error)
    return best


def tone_raster(gray: F32) -> Raster:
    """The gray as it is stored: 16-bit data. A step is at most 0.05 of an 8-bit sRGB code, so the fit stays exact.
    Floats where it is brighter than white."""
    if float(gray.max(initial=0)) > 1:
        return Raster(np.ascontiguousarray(gray[..., None], np.float32), Encoding.DATA)
    out = np.empty((*gray.shape, 1), np.uint16)
    for rows in row_strips(*gray.shape):
        out[rows] = quantize(gray[rows, :, None], np.dtype(np.uint16))
    return Raster(out, Encoding.DATA)


def hidden_paint(steps: Sequence[BoundStep], sources: Sources) -> F32 | None:
    """How much of the paint steps hide that replace the base color through a mask of their own, 0..1 (height, width);
    None without any."""
    covering = []
    for index, step in enumerate(steps):
        ops = [op for op in step.kind.ops if op.writes == BASE_COLOR and op.replaces is True]
        if step.kind.weigh is not None and ops and not step.is_idle:
            covering.append((index, step))
    if not covering:
        return None
    width, height = sources.size
    planned = whole_plan(steps, (BASE_COLOR,))
    hidden = np.zeros((height, width), np.float32)
    for rows in row_strips(height, width):
        box = (0, rows.start, width, rows.stop)
        reads, weights = TileReads(sources, box), TileWeights(sources.coverages, sources.divisions, box)
        for index, step in covering:
            found = weigh_rows(step, planned.maps_of(index, step.kind), weights, reads)
            if found.rows:
                part = hidden[rows]
                np.maximum(part, found.weights.sum(0).reshape(part.shape), out=part)
    return hidden


def calm_hidden(gray: F32, hidden: F32, coverages: Sequence[NDArray[np.uint8]]) -> None:
    """Keep a solved gray (height, width), in place, within what its region has in plain sight, where it is hardly seen.

    Where a cover leaves a share s of the paint, the gray moves the color by s only, and whatever the cover lacks would
    drive it to black or white: a dark rim around every stain. What is half hidden may leave the region's range a
    little, what is hidden for 0.6 and more not at all.
    """
    ranges = [_plain_range(gray, hidden, coverage) for coverage in coverages]
    for rows in row_strips(*gray.shape):
        low, high, total = (np.zeros(gray[rows].shape, np.float32) for _ in range(3))
        for (least, most), coverage in zip(ranges, coverages, strict=True):
            total += coverage[rows]
            low += coverage[rows] * np.float32(least)
            high += coverage[rows] * np.float32(most)
        total = np.maximum(total, 1)
        strict = np.clip((hidden[rows] - 0.25) / 0.35, 0, 1) * (low + high > 0)
        here = gray[rows]
        here += strict * (np.clip(here, low / total, high / total) - here)


def _plain_range(gray: F32, hidden: F32, coverage: NDArray[np.uint8]) -> tuple[float, float]:
    """The least and the most gray of a region where little hides it, from at most a million texels; 0 and 0 for
    none."""
    every = max(1, int(np.sqrt(gray.size / (1 << 20))))
    small = np.s_[::every, ::every]
    seen = gray[small][(hidden[small] < 0.25) & (coverage[small] >= 128)]
    if len(seen) < 16:
        return 0.0, 0.0
    least, most = np.percentile(seen, (0.1, 99.9))
    return float(least), float(most)


def plain_tone(painted: F32, method: str, coverages: Sequence[NDArray[np.uint8]]) -> tuple[F32, list[str]]:
    """The gray of a plain method, linear (height, width), and for each region the tint that serves it best.

    The tint is the least-squares factor `sum(g c) / sum(g g)`, clamped to the gamut.
    """
    gray = gray_as_linear(painted, method) if method != PRINCIPAL else _by_regions(painted, coverages)
    tints = []
    for coverage in coverages:
        weight = coverage.astype(np.float32) / 255
        power = float((gray * gray * weight).sum(dtype=np.float64))
        tint = (painted * (gray * weight)[..., None]).sum((0, 1), dtype=np.float64) / max(power, 1e-9)
        tints.append(linear_to_hex(np.clip(tint, 0, 1).astype(np.float32)))
    return np.clip(gray, 0, 1), tints


def _by_regions(painted: F32, coverages: Sequence[NDArray[np.uint8]]) -> F32:
    """Each region's colors along their own principal direction, blended by coverage; elsewhere along that of all."""
    gray = along(painted, principal_direction(painted))
    total = np.zeros(gray.shape, np.float32)
    made = np.zeros(gray.shape, np.float32)
    for coverage in coverages:
        weight = coverage.astype(np.float32) / 255
        if weight.any():
            made += weight * along(painted, principal_direction(painted, weight))
            total += weight
    return np.asarray(
        np.where(total > 0, made / np.maximum(total, 1e-6), 0) + gray * np.clip(1 - total, 0, 1) * (total == 0),
        np.float32,
    )


class Tally:
    """Differences counted as they come: mean and percentiles without keeping them. In steps of 0.02 up to 100."""

    def __init__(self) -> None:
        self._bins = np.zeros(5001, np.int64)
        self._sum = self._grays = 0.0

    def add(self, values: NDArray, grays: NDArray | None = None) -> None:
        """Count values from 0 on."""
        self._bins += np.bincount(np.minimum(values * 50, 5000).astype(np.int64), minlength=5001)
        self._sum += float(values.sum(dtype=np.float64))
        self._grays += float(grays.sum(dtype=np.float64)) if grays is not None else 0.0

    @property
    def count(self) -> int:
        """How many there are."""
        return int(self._bins.sum())

    @property
    def mean(self) -> float:
        """Their mean, 0 for none."""
        return self._sum / self.count if self.count else 0.0

    @property
    def mean_gray(self) -> float:
        """The mean of what was given beside them."""
        return self._grays / self.count if self.count else 0.0

    def percentile(self, percent: float) -> float:
        """The middle of the step that holds it."""
        if not self.count:
            return 0.0
        return float((np.searchsorted(np.cumsum(self._bins), self.count * percent / 100) + 0.5) / 50)


def report_fit(
    steps: Sequence[BoundStep], sources: Sources, painted: Raster, coverages: Mapping[str, NDArray[np.uint8]],
    tints: Mapping[str, str], seen: NDArray[np.bool_] | None = None, progress: Progress = no_progress,
) -> tuple[list[RegionFit], float, float]:  # fmt: skip
    """Per region, and (mean, 95th percentile) over all seen texels, the CIEDE2000 between what the steps make of the
    sources and the painted picture. seen: bool (height, width)."""
    height, width = painted.height, painted.width
    everywhere, by_region = Tally(), {region: Tally() for region in coverages}
    strips = row_strips(height, width, _STRIP_TEXELS // 8)
    # Of very large pictures every so manieth strip is measured.
    strips = strips[:: max(1, height * width // _MOST_MEASURED)]
    for number, rows in enumerate(strips):
        rebuilt = evaluate(steps, sources, box=(0, rows.start, width, rows.stop), float_output=True).pixels
        wanted = Raster(painted.pixels[rows], painted.encoding).as_linear_rgb()
        difference = difference_of_linear(np.clip(rebuilt, 0, 1), np.clip(wanted, 0, 1))
        gray = Raster(sources.base.pixels[rows], sources.base.encoding).channel(0)
        inside = seen[rows] if seen is not None else np.ones(difference.shape, bool)
        everywhere.add(difference[inside])
        for region, coverage in coverages.items():
            here = inside & (coverage[rows] >= 128)
            by_region[region].add(difference[here], gray[here])
        progress((number + 1) / len(strips))
    found = [
        RegionFit(
            region,
            tints.get(region, "#ffffff"),
            tally.mean,
            tally.percentile(95) if tally.count else 0.0,
            tally.mean_gray,
        )
        for region, tally in by_region.items()
    ]
    return found, everywhere.mean, everywhere.percentile(95)
