"""Carrying values outward over empty texels."""

import cv2
import numpy as np
from numpy.typing import NDArray


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
