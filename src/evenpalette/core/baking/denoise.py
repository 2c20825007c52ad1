"""Noise taken out of what rays gathered, without washing out edges.

A joint filter in the steps of an a-trous wavelet: H. Dammertz et al., "Edge-Avoiding A-Trous Wavelet Transform for fast
Global Illumination Filtering", 2010, led by variance as C. Schied et al., "Spatiotemporal Variance-Guided Filtering",
2017, have it. What leads it here is exact: position and normal of the mesh, and the island, whose border nothing
crosses.
"""

from collections.abc import Callable
from importlib.util import find_spec

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.baking.points import Points
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.kernels import njit
from evenpalette.core.parallel import Progress, no_progress, run_over
from evenpalette.core.raster.padding import nearest_covered

#: Levels of the filter: texels as far apart as 1, 2 and 4 are looked at, five by five of them.
_LEVELS = 3
#: Texels of a piece of work: some hundredths of a second, so that a cancel is soon heard.
_PIECE_TEXELS = 1 << 15
#: Two values this many times their spread apart are taken for an edge. The spread is that of rays by chance; those of
#: an even sequence are off by about half as much.
_SPREADS = 1.5


@dataclass(frozen=True, eq=False)
class Guides:
    """What leads the filter, at every texel of a map; islands: int32 (h, w), -1 where no place lies. positions,
    normals: float32 (h, w, 3). units: float32 (h, w), the length of a texel on the model."""

    islands: NDArray[np.int32]
    positions: NDArray[np.float32]
    normals: NDArray[np.float32]
    units: NDArray[np.float32]


def guides_of(points: Points, islands: NDArray[np.int32]) -> Guides:
    """The guides of places. islands: int32 (F,), the island of each face."""

    def map_of(values: NDArray, empty: float) -> NDArray:
        out = np.full((points.shape[0] * points.shape[1], *values.shape[1:]), empty, values.dtype)
        out[points.at] = values
        return out.reshape(*points.shape, *values.shape[1:])

    return Guides(
        map_of(islands[points.faces].astype(np.int32), -1), map_of(points.positions(), 0), map_of(points.normals(), 0),
        map_of(points.units[points.faces], 1),
    )  # fmt: skip


@njit(nogil=True, cache=True, fastmath=True)
def _level(values, variance, islands, positions, normals, units, step, spreads, first, last, out, out_variance):  # type: ignore[no-untyped-def]
    height, width, channels = values.shape
    kernel = (np.float32(0.375), np.float32(0.25), np.float32(0.0625))
    total = np.empty(channels, np.float32)
    for row in range(first, last):
        for column in range(width):
            island = islands[row, column]
            if island < 0:
                continue
            # The spread of a few neighbors together: of one place alone it is as noisy as the value.
            local, many = np.float32(0), np.float32(0)
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    y, x = row + dy, column + dx
                    if 0 <= y < height and 0 <= x < width and islands[y, x] == island:
                        share = np.float32((2 - abs(dy)) * (2 - abs(dx)))
                        local += share * variance[y, x]
                        many += share
            local = local / many
            px, py, pz = positions[row, column, 0], positions[row, column, 1], positions[row, column, 2]
            nx, ny, nz = normals[row, column, 0], normals[row, column, 1], normals[row, column, 2]
            allowed = np.float32(1) / (np.float32(0.35) * units[row, column] * np.float32(step) + np.float32(1e-20))
            wide = np.float32(1) / (np.float32(2 * spreads * spreads) * local + np.float32(1e-7))
            for c in range(channels):
                total[c] = 0
            weights, spread = np.float32(0), np.float32(0)
            for dy in range(-2, 3):
                y = row + dy * step
                if y < 0 or y >= height:
                    continue
                for dx in range(-2, 3):
                    x = column + dx * step
                    if x < 0 or x >= width or islands[y, x] != island:
                        continue
                    w = kernel[abs(dy)] * kernel[abs(dx)]
                    if dy != 0 or dx != 0:
                        along = nx * normals[y, x, 0] + ny * normals[y, x, 1] + nz * normals[y, x, 2]
                        if along <= 0:
                            continue
                        along *= along
                        along *= along
                        along *= along
                        along *= along
                        off = (
                            nx * (positions[y, x, 0] - px) + ny * (positions[y, x, 1] - py)
                            + nz * (positions[y, x, 2] - pz)
                        ) * allowed  # fmt: skip
                        far = np.float32(0)
                        for c in range(channels):
                            d = values[y, x, c] - values[row, column, c]
                            far += d * d
                        w *= along * np.exp(-off * off - far * wide)
                    weights += w
                    spread += w * w * variance[y, x]
                    for c in range(channels):
                        total[c] += w * values[y, x, c]
            for c in range(channels):
                out[row, column, c] = total[c] / weights
            out_variance[row, column] = spread / (weights * weights)


def denoised(
    values: NDArray[np.float32], variance: NDArray[np.float32], guides: Guides, *, progress: Progress = no_progress
) -> NDArray[np.float32]:
    """Values (h, w, K) without their noise. variance: float32 (h, w), of the sum over the values. Nothing crosses the
    border of an island or a crease."""
    values, variance = np.ascontiguousarray(values), np.ascontiguousarray(variance)
    height = values.shape[0]
    rows = max(1, _PIECE_TEXELS // values.shape[1])
    for level in range(_LEVELS):
        out, spread = values.copy(), variance.copy()

        def work(first: int, step: int = 1 << level, out: NDArray = out, spread: NDArray = spread,
                 held: NDArray = values, known: NDArray = variance) -> None:  # fmt: skip
            last = min(height, first + rows)
            _level(
                held, known, guides.islands, guides.positions, guides.normals, guides.units, step, _SPREADS, first,
                last, out, spread,
            )  # fmt: skip

        run_over(range(0, height, rows), work, progress)
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
