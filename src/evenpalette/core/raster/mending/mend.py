"""Doing to a texture what its settings say."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.limits import RAISE, limits
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.mending.enlarge import enlarge
from evenpalette.core.raster.mending.flow import smooth_along
from evenpalette.core.raster.mending.noise import remove_noise
from evenpalette.core.raster.mending.settings import Mending
from evenpalette.core.raster.raster import Encoding, Raster, quantize


def mend(
    raster: Raster, mending: Mending, island: NDArray[np.int32] | None = None, *, is_normal: bool = False,
    progress: Progress = no_progress,
) -> Raster:  # fmt: skip
    """A raster mended: same encoding and depth, 1, 2 or 4 times the size.

    Color is worked on as it is stored, which is even to the eye, and where there is alpha, weighed by it, so that what
    is transparent does not come in at edges. island: int32 (height, width), the UV island of each texel: neither flow
    nor noise is averaged across its border. is_normal: a normal map; vectors keep their length. Raises
    EvenPaletteError.
    """
    width, height = raster.width * mending.enlarge, raster.height * mending.enlarge
    if max(width, height) > limits().image_side_texels or width * height > limits().image_texels:
        raise EvenPaletteError(
            f"{mending.enlarge} times as large would be {width} x {height} texels, which is too large. {RAISE}"
        )
    values = raster.as_unit() if raster.pixels.dtype != np.float32 else raster.pixels.copy()
    values, alpha = _weighed(values, raster)
    whole = values
    progress(0.05)
    if mending.noise:
        values = _without_noise(values, mending, island)
        progress(0.35)
    if mending.flow:
        values = smooth_along(values, mending.flow_reach, mending.flow, island)
        progress(0.65)
    if mending.channels and not mending.does_nothing:
        untouched = [k for k in range(values.shape[2]) if k not in mending.channels]
        values[..., untouched] = whole[..., untouched]
    if mending.enlarge > 1:
        values = enlarge(values, mending.enlarge, along_edges=mending.along_edges)
    if alpha:
        values[..., :-1] /= np.maximum(values[..., -1:], np.float32(1e-4))
    if is_normal and values.shape[2] >= 3:
        vectors = values[..., :3] * 2 - 1
        vectors /= np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), np.float32(1e-6))
        values[..., :3] = vectors * np.float32(0.5) + np.float32(0.5)
    progress(0.95)
    if raster.pixels.dtype == np.float32:
        return Raster(np.ascontiguousarray(values), raster.encoding)
    return Raster(quantize(values, raster.pixels.dtype), raster.encoding)


def _weighed(values: F32, raster: Raster) -> tuple[F32, bool]:
    """Color times alpha, where a texture has one that says how much of it is there."""
    alpha = raster.encoding is not Encoding.DATA and raster.is_cut
    if alpha:
        values[..., :-1] *= values[..., -1:]
    return values, alpha


def _without_noise(values: F32, mending: Mending, island: NDArray[np.int32] | None) -> F32:
    if island is None:
        return remove_noise(values, mending.noise_reach, mending.noise)
    out, reach = values.copy(), mending.noise_reach
    for home, (rows, columns) in _windows(island):
        window = (
            slice(max(0, rows.start - reach), rows.stop + reach), slice(max(0, columns.start - reach), columns.stop + reach),
        )  # fmt: skip
        inside = island[window] == home
        found = remove_noise(np.ascontiguousarray(values[window]), reach, mending.noise, inside)
        out[window][inside] = found[inside]
    return out


def _windows(island: NDArray[np.int32]) -> list[tuple[int, tuple[slice, slice]]]:
    """Each island with the box around it; what is on none counts as one."""
    from scipy.ndimage import find_objects

    found = find_objects(island + 2)
    return [(label - 1, box) for label, box in enumerate(found) if box is not None]
