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
    distance, labels = cv2.distanceTransformWithLabels(
        (~covered).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    source = np.zeros(int(labels.max()) + 1, np.int32)
    source[labels[covered]] = np.flatnonzero(covered)
    return np.where((distance <= padding_texels) & ~covered, np.take(source, np.asarray(labels, np.int32)), own)


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
