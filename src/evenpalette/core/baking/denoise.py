"""Noise taken out of what rays gathered, without washing out edges.

A joint filter in the steps of an a-trous wavelet: H. Dammertz et al., "Edge-Avoiding A-Trous Wavelet Transform for fast
Global Illumination Filtering", 2010, led by variance as C. Schied et al., "Spatiotemporal Variance-Guided Filtering",
2017, have it. Values are alike where their neighborhoods are: A. Buades et al., "A Non-Local Algorithm for Image
Denoising", 2005. It is done twice; the second time what is alike is looked up in what the first time gave, as
F. Rousselle et al., "Robust Denoising using Feature and Color Information", 2013, take a filtered picture for a guide.
What leads it besides is exact: position and normal of the mesh, and the island, whose border nothing crosses.

Kernels work row by row, in loops over texels that lie side by side: of these the compiler does several at once.
"""

from collections.abc import Callable
from importlib.util import find_spec

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.baking.points import Points
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.kernels import njit
from evenpalette.core.parallel import Progress, no_progress, part_of, run_over
from evenpalette.core.raster.padding import nearest_covered

#: Levels of the filter: texels as far apart as 1, 2 and 4 are looked at, five by five of them.
_LEVELS = 3
#: Texels of a piece of work: some hundredths of a second, so that a cancel is soon heard.
_PIECE_TEXELS = 1 << 15
#: Two values this many times their spread apart are taken for an edge, the first time and the second. The spread is
#: that of rays by chance; those of an even sequence are off by about half as much, what was filtered by a third of it.
_SPREADS = 1.12, 0.35
#: Texels to either side that are looked at, and how much they count by their distance.
_REACH, _NEAR = 2, (np.float32(0.375), np.float32(0.25), np.float32(0.0625))


@dataclass(frozen=True, eq=False)
class Guides:
    """What leads the filter, at every texel of a map; islands: int32 (h, w), -1 where no place lies. positions,
    normals: float32 (3, h, w). units: float32 (h, w), the length of a texel on the model."""

    islands: NDArray[np.int32]
    positions: NDArray[np.float32]
    normals: NDArray[np.float32]
    units: NDArray[np.float32]


def guides_of(points: Points, islands: NDArray[np.int32]) -> Guides:
    """The guides of places. islands: int32 (F,), the island of each face."""

    def map_of(values: NDArray, empty: float) -> NDArray:
        planes = values.reshape(len(values), -1)
        out = np.full((planes.shape[1], points.shape[0] * points.shape[1]), empty, values.dtype)
        for plane, held in zip(out, planes.T, strict=True):
            plane[points.at] = held
        return out.reshape(*((3,) if values.ndim > 1 else ()), *points.shape)

    return Guides(
        map_of(islands[points.faces].astype(np.int32), -1), map_of(points.positions(), 0), map_of(points.normals(), 0),
        map_of(points.units[points.faces], 1),
    )  # fmt: skip


@njit(nogil=True, cache=True, fastmath=True)
def _spread_around(variance, islands, row, sums, counts):  # type: ignore[no-untyped-def]
    """The variance of a few neighbors together into sums: of one place alone it is as noisy as the value."""
    height, width = variance.shape
    here = islands[row]
    sums[:] = 0
    counts[:] = 0
    for qy in range(max(-1, -row), min(2, height - row)):
        for qx in range(-1, 2):
            share = np.float32((2 - abs(qy)) * (2 - abs(qx)))
            left, right = max(0, -qx), min(width, width - qx)
            mine, known = here[left:right], variance[row + qy, left + qx : right + qx]
            other, total, count = islands[row + qy, left + qx : right + qx], sums[left:right], counts[left:right]
            for i in range(right - left):
                s = share if other[i] == mine[i] else np.float32(0)
                total[i] += s * known[i]
                count[i] += s
    for x in range(width):
        sums[x] /= max(counts[x], np.float32(1))


@njit(nogil=True, cache=True, fastmath=True)
def _unlike(guide, islands, row, down, go, low, high, sums, counts, part):  # type: ignore[no-untyped-def]
    """How far the neighborhoods of the texels low to high of a row are from those of the texels that lie so far down
    and so far to the right, squared, into sums: of what lies on the texel's own island."""
    channels, height, width = guide.shape
    here = islands[row]
    sums[:] = 0
    counts[:] = 0
    for qy in range(-1, 2):
        a, b = row + qy, row + down + qy
        if a < 0 or b < 0 or a >= height or b >= height:
            continue
        for qx in range(-1, 2):
            share = np.float32((2 - abs(qy)) * (2 - abs(qx)))
            left, right = max(low, -qx, -go - qx), min(high, width - qx, width - go - qx)
            if right <= left:
                continue
            mine, one = here[left:right], islands[a, left + qx : right + qx]
            two = islands[b, left + qx + go : right + qx + go]
            total, count = sums[left:right], counts[left:right]
            for i in range(right - left):
                part[i] = share if (one[i] == mine[i]) & (two[i] == mine[i]) else np.float32(0)
                count[i] += part[i]
            for c in range(channels):
                first, second = guide[c, a, left + qx : right + qx], guide[c, b, left + qx + go : right + qx + go]
                for i in range(right - left):
                    d = second[i] - first[i]
                    total[i] += part[i] * d * d
    for x in range(low, high):
        sums[x] /= max(counts[x], np.float32(1))


@njit(nogil=True, cache=True, fastmath=True)
def _weigh(islands, positions, normals, scale, wide, row, y, go, low, high, near, weights):  # type: ignore[no-untyped-def]
    """How much the texels of row y, so far to the right, count for those of a row, into weights, which hold how unlike
    they are."""
    n, w = high - low, weights[low:high]
    mine, other = islands[row, low:high], islands[y, low + go : high + go]
    nx, ny, nz = normals[0, row, low:high], normals[1, row, low:high], normals[2, row, low:high]
    px, py, pz = positions[0, row, low:high], positions[1, row, low:high], positions[2, row, low:high]
    low, high = low + go, high + go
    mx, my, mz = normals[0, y, low:high], normals[1, y, low:high], normals[2, y, low:high]
    ox, oy, oz = positions[0, y, low:high], positions[1, y, low:high], positions[2, y, low:high]
    s, v = scale[low - go : high - go], wide[low - go : high - go]
    for i in range(n):
        along = max(nx[i] * mx[i] + ny[i] * my[i] + nz[i] * mz[i], np.float32(0))
        along *= along
        along *= along
        along *= along
        along *= along
        off = (nx[i] * (ox[i] - px[i]) + ny[i] * (oy[i] - py[i]) + nz[i] * (oz[i] - pz[i])) * s[i]
        # e^-x as (1 - x/16)^16: no loop that calls a function is done for several texels at once.
        e = max(np.float32(1) - (off * off + w[i] * v[i]) * np.float32(1 / 16), np.float32(0))
        e *= e
        e *= e
        e *= e
        e *= e
        w[i] = near * along * e if other[i] == mine[i] else np.float32(0)


@njit(nogil=True, cache=True, fastmath=True)
def _level(  # type: ignore[no-untyped-def]
    guide, known, values, variance, islands, positions, normals, units, step, spreads, first, last, out, out_variance
):
    """Rows first to last of values and their variance, filtered with texels so many steps apart. guide, known: where
    what is alike is looked up, and its variance."""
    channels, height, width = values.shape
    scale, wide, weights = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    part, sums, spread = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    counts = np.empty(width, np.float32)
    total = np.empty((channels, width), np.float32)
    for row in range(first, last):
        _spread_around(known, islands, row, wide, counts)
        for x in range(width):
            wide[x] = np.float32(1) / (np.float32(2 * spreads * spreads) * wide[x] + np.float32(1e-7))
            scale[x] = np.float32(1) / (np.float32(0.35 * step) * units[row, x] + np.float32(1e-20))
        sums[:] = 0
        spread[:] = 0
        total[:] = 0
        for dy in range(-_REACH, _REACH + 1):
            y = row + dy * step
            if y < 0 or y >= height:
                continue
            for dx in range(-_REACH, _REACH + 1):
                go, near = dx * step, _NEAR[abs(dy)] * _NEAR[abs(dx)]
                low, high = max(0, -go), min(width, width - go)
                if high <= low:
                    continue
                if dy == 0 and dx == 0:
                    weights[:] = near
                else:
                    _unlike(guide, islands, row, dy * step, go, low, high, weights, counts, part)
                    _weigh(islands, positions, normals, scale, wide, row, y, go, low, high, near, weights)
                w, held = weights[low:high], variance[y, low + go : high + go]
                many, squares = sums[low:high], spread[low:high]
                for i in range(high - low):
                    many[i] += w[i]
                    squares[i] += w[i] * w[i] * held[i]
                for c in range(channels):
                    line, found = values[c, y, low + go : high + go], total[c, low:high]
                    for i in range(high - low):
                        found[i] += w[i] * line[i]
        for x in range(width):
            out_variance[row, x] = spread[x] / (sums[x] * sums[x])
            for c in range(channels):
                out[c, row, x] = total[c, x] / sums[x]


def denoised(
    values: NDArray[np.float32], variance: NDArray[np.float32], guides: Guides, *, progress: Progress = no_progress
) -> NDArray[np.float32]:
    """Values (h, w, K) without their noise. variance: float32 (h, w), of the sum over the values. Nothing crosses the
    border of an island or a crease."""
    noisy: NDArray[np.float32] = np.ascontiguousarray(np.moveaxis(values, -1, 0))
    spread = np.ascontiguousarray(variance)
    pilot = _filtered(noisy, spread, None, guides, _SPREADS[0], part_of(progress, 0, 0.5))
    made = _filtered(noisy, spread, pilot, guides, _SPREADS[1], part_of(progress, 0.5, 0.5))
    return np.ascontiguousarray(np.moveaxis(made, 0, -1))


def _filtered(
    values: NDArray[np.float32], variance: NDArray[np.float32], guide: NDArray[np.float32] | None, guides: Guides,
    spreads: float, progress: Progress,
) -> NDArray[np.float32]:  # fmt: skip
    """Values (K, h, w) after all levels. guide: where what is alike is looked up, None for the values themselves."""
    height, known = values.shape[1], variance
    rows = max(1, _PIECE_TEXELS // values.shape[2])
    for level in range(_LEVELS):
        out, spread = np.empty_like(values), np.empty_like(variance)

        def work(first: int, step: int = 1 << level, out: NDArray = out, spread: NDArray = spread,
                 held: NDArray = values, noise: NDArray = variance) -> None:  # fmt: skip
            seen, seen_noise = (held, noise) if guide is None else (guide, known)
            _level(
                seen, seen_noise, held, noise, guides.islands, guides.positions, guides.normals, guides.units, step,
                spreads, first, min(height, first + rows), out, spread,
            )  # fmt: skip

        run_over(range(0, height, rows), work, part_of(progress, level / _LEVELS, 1 / _LEVELS))
        values, variance = out, spread
    return values


def oidn_missing() -> str:
    """Why the denoiser of the optional package cannot be had, '' where it can."""
    if find_spec("pyoidn") is None:
        return "pyoidn is not installed: pip install 'evenpalette[oidn]', or take the denoiser of our own."
    return ""


def denoised_by_oidn(
    values: NDArray[np.float32], variance: NDArray[np.float32], guides: Guides, *, progress: Progress = no_progress
) -> NDArray[np.float32]:
    """Values (h, w, K) by Open Image Denoise, a trained network, as it takes light maps. Raises EvenPaletteError where
    the package is not installed."""
    if reason := oidn_missing():
        raise EvenPaletteError(reason)
    from pyoidn import denoise

    height, width, channels = values.shape
    # What lies around an island must not look like an edge.
    source = nearest_covered(guides.islands >= 0, max(height, width)).reshape(-1)
    filled = values.reshape(-1, channels)[source].reshape(values.shape)
    out = np.empty_like(values)
    for first in range(0, channels, 3):
        part = filled[..., first : first + 3]
        three = part if part.shape[2] == 3 else np.repeat(part[..., :1], 3, 2)
        found = denoise(np.ascontiguousarray(three, np.float32), filter_type="RTLightmap")
        out[..., first : first + 3] = found[..., : part.shape[2]]
        progress(min(1.0, (first + 3) / channels))
    return np.where((guides.islands >= 0)[..., None], out, values)


Denoiser = Callable[..., NDArray[np.float32]]
#: How noise can be taken out, by what the command line calls it.
DENOISERS: dict[str, Denoiser | None] = {"none": None, "own": denoised, "oidn": denoised_by_oidn}
