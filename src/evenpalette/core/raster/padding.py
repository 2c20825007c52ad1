"""Carrying values outward over empty and over clear texels."""

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.raster.raster import Raster
from evenpalette.core.raster.reading import derived


def nearest_covered(covered: NDArray[np.bool_], padding_texels: int) -> NDArray[np.int32]:
    """For each texel the flat index it takes its value from: its own, or the nearest covered one within reach.

    covered: bool (height, width). Covered texels always keep their own, so nothing is carried onto them. The distance
    is OpenCV's 5x5 chamfer approximation of the Euclidean one.
    """
    own = np.arange(covered.size, dtype=np.int32).reshape(covered.shape)
    if padding_texels <= 0 or not covered.any() or covered.all():
        return own
    near, source = _taken_from(covered, padding_texels)
    own.reshape(-1)[near] = source
    return own


def _taken_from(covered: NDArray[np.bool_], padding_texels: int) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """Flat indices of the texels within reach of covered ones, and of the nearest covered one of each. Some texel is
    covered, and some is not."""
    distance, labels = cv2.distanceTransformWithLabels(
        (~covered).view(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    # Every label is that of one covered texel.
    source = np.zeros(int(labels.max()) + 1, np.int32)
    inside = np.flatnonzero(covered)
    source[labels.reshape(-1)[inside]] = inside
    near = np.flatnonzero((distance <= padding_texels) & ~covered)
    return near, source[labels.reshape(-1)[near]]


def padded(values: NDArray, covered: NDArray[np.bool_], padding_texels: int) -> NDArray:
    """A picture (height, width, channels) in which texels within reach of covered ones have the values of the nearest
    of them, as `nearest_covered` has it; only those are touched. The same array where there is nothing to do."""
    if padding_texels <= 0 or not covered.any() or covered.all():
        return values
    near, source = _taken_from(covered, padding_texels)
    made = values.reshape(-1, values.shape[2]).copy()
    made[near] = made[source]
    return made.reshape(values.shape)


def grown_under_alpha(raster: Raster) -> Raster:
    """The raster with the colors of its nearest seen texels where its alpha is 0, so that no filter and no mip level
    mixes in what nobody sees; the same one where it has no alpha, or none that is 0. Remembered for a while."""
    if raster.channels not in (2, 4) or raster.pixels[..., -1].min() > 0:
        return raster
    return Raster(derived((raster.pixels,), "grown under alpha", lambda: _grown(raster.pixels)), raster.encoding)


def _grown(pixels: NDArray) -> NDArray:
    seen = pixels[..., -1] > 0
    source = nearest_covered(seen, max(seen.shape))
    made = pixels.reshape(-1, pixels.shape[2])[source.reshape(-1)].reshape(pixels.shape)
    made[..., -1] = pixels[..., -1]
    return made
