"""A tone fitted so that the recipe rebuilds the painted original.

For each region the tint is the direction in linear RGB that explains its texels best: the first right singular vector
of the coverage-weighted texels, without centering (the least-squares rank-one factor; Eckart and Young 1936).
The gray is then solved texel by texel through the whole recipe: every step used to tint, cover and shade is affine in
the gray, so two evaluations, with gray 0 and gray 1, give the line `b + a * g` that the texel can move on, and
`g = a . (c - b) / (a . a)` is the least-squares answer even on soft edges and under dirt.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.color.encoding import F32
from evenpalette.core.color.hexcode import linear_to_hex
from evenpalette.core.parallel import Progress, no_progress, row_strips
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.evaluate import evaluate, weigh_rows
from evenpalette.core.recipe.plan import whole_plan
from evenpalette.core.recipe.sources import Sources, TileReads
from evenpalette.core.recipe.weights import TileWeights
from evenpalette.core.tones.gray import gray_as_linear


@dataclass(frozen=True)
class RegionFit:
    """How well one region is rebuilt: CIEDE2000 mean and 95th percentile, and the mean linear gray of its tone, 0..1."""

    region: str
    tint: str
    mean_difference: float
    p95_difference: float
    mean_gray: float


def fit_tints(
    painted: F32, coverages: Sequence[NDArray[np.uint8]], hidden: F32 | None = None, white_percentile: float = 100.0
) -> list[str]:
    """The tint of every region as '#rrggbb'.

    painted: linear RGB (height, width, 3). coverages: uint8 (height, width). hidden: 0..1 (height, width), how much of
    the paint is under dirt; such texels do not vote. The tint is scaled so that the tone's white is at
    `white_percentile` of the region's brightness: 100 loses nothing; 99 gives up the brightest hundredth for a tone
    that is lighter over all. The gamut of the tint limits it.
    """
    tints = []
    visible = None if hidden is None else hidden < 0.02
    for coverage in coverages:
        chosen = coverage >= 250
        if visible is not None and (chosen & visible).sum() >= 64:
            chosen &= visible
        colors = painted[chosen].astype(np.float64)
        if len(colors) == 0:
            tints.append("#808080")
            continue
        if len(colors) > 400_000:
            colors = colors[:: len(colors) // 400_000 + 1]
        direction = np.linalg.eigh(colors.T @ colors)[1][:, -1]
        direction = np.abs(direction)
        grays = colors @ direction
        white = max(float(np.percentile(grays, white_percentile)), 1e-4)
        tint = direction * white
        tints.append(linear_to_hex((tint / max(1.0, tint.max())).astype(np.float32)))
    return tints


def solve_gray(steps: Sequence[BoundStep], sources: Sources, painted: F32, progress: Progress = no_progress) -> F32:
    """The gray (height, width), float32 0..1, with which the steps rebuild `painted` (linear RGB) best."""
    height, width = painted.shape[:2]

    def with_gray(value: float, part: float) -> NDArray[np.float64]:
        base = Raster(np.full((height, width, 1), value, np.float32), Encoding.DATA)
        result = evaluate(
            steps,
            replace(sources, base=base),
            float_output=True,
            progress=lambda done: progress(part + done * 0.4),
        )
        return result.pixels

    low = with_gray(0.0, 0.0)
    slope = with_gray(1.0, 0.4) - low
    power = np.einsum("ijk,ijk->ij", slope, slope)
    aim = np.einsum("ijk,ijk->ij", slope, painted - low)
    known = power > 1e-5
    typical = float((aim[known] / power[known]).mean()) if known.any() else 0.5
    # Where dirt hides the paint altogether any gray would do; the typical one keeps the tone calm there.
    weight = np.float32(1e-7)
    gray = (aim + weight * typical) / (power + weight)
    return np.clip(gray, 0, 1).astype(np.float32)


def tone_raster(gray: F32) -> Raster:
    """The gray as it is stored: 16-bit data. A step is at most 0.05 of an 8-bit sRGB code, so the fit stays exact."""
    return Raster(quantize(gray[..., None], np.dtype(np.uint16)), Encoding.DATA)


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


def plain_tone(painted: F32, method: str, coverages: Sequence[NDArray[np.uint8]]) -> tuple[F32, list[str]]:
    """The gray of a plain method, linear (height, width), and for each region the tint that serves it best.

    The tint is the least-squares factor `sum(g c) / sum(g g)`, clamped to the gamut.
    """
    gray = gray_as_linear(painted, method)
    tints = []
    for coverage in coverages:
        weight = coverage.astype(np.float32) / 255
        power = float((gray * gray * weight).sum(dtype=np.float64))
        tint = (painted * (gray * weight)[..., None]).sum((0, 1), dtype=np.float64) / max(power, 1e-9)
        tints.append(linear_to_hex(np.clip(tint, 0, 1).astype(np.float32)))
    return np.clip(gray, 0, 1), tints


def report_fit(
    rebuilt: F32, painted: F32, coverages: Mapping[str, NDArray[np.uint8]], tints: Mapping[str, str], gray: F32,
    used: NDArray[np.bool_] | None = None,
) -> tuple[list[RegionFit], float, float]:  # fmt: skip
    """Per region, and (mean, 95th percentile) over all used texels, the CIEDE2000 between two linear pictures."""
    difference = difference_of_linear(np.clip(rebuilt, 0, 1), painted)
    rows = []
    for region, coverage in coverages.items():
        inside = coverage >= 128
        if used is not None:
            inside &= used
        values, grays = difference[inside], gray[inside]
        mean, p95 = (float(values.mean()), float(np.percentile(values, 95))) if values.size else (0.0, 0.0)
        tint = tints.get(region, "#ffffff")
        rows.append(RegionFit(region, tint, mean, p95, float(grays.mean()) if grays.size else 0.0))
    everywhere = difference if used is None or not used.any() else difference[used]
    return rows, float(everywhere.mean()), float(np.percentile(everywhere, 95))
