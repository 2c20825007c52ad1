"""Taking noise out and keeping edges: a picture guided by itself (K. He, J. Sun, X. Tang, "Guided Image Filtering",
ECCV 2010), with the noise measured (J. Immerkaer, "Fast Noise Variance Estimation", CVIU 64, 1996)."""

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32

_LAPLACIANS = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)


def noise_of(plane: F32, inside: NDArray[np.bool_] | None = None) -> float:
    """The standard deviation of white noise in a plane (height, width), in its own units.

    By the median of a mask that cancels all that is flat or slanted, so that edges, which are few, do not count.
    """
    found = np.abs(
        cv2.filter2D(
            np.ascontiguousarray(plane, np.float32), cv2.CV_32F, _LAPLACIANS, borderType=cv2.BORDER_REFLECT_101
        )
    )
    kept = found[cv2.erode(inside.astype(np.uint8), np.ones((3, 3))) > 0] if inside is not None else found.reshape(-1)
    # The mask has a sum of squares of 36; the median of |N(0, 1)| is 0.6745.
    return float(np.median(kept)) / 6 / 0.6745 if kept.size else 0.0


def remove_noise(values: F32, reach_texels: int, amount: float = 1.0, inside: NDArray[np.bool_] | None = None) -> F32:
    """Values with less noise, float32 (height, width, channels); each channel is its own guide.

    reach_texels: half the side of the window, 1 up. amount: 0 leaves all as it is; 1 takes out variations of up to
    twice the noise that was measured, 2 up to four times. inside: which texels count, others neither change nor weigh.
    """
    if amount <= 0:
        return values.copy()
    size = (2 * reach_texels + 1, 2 * reach_texels + 1)
    weight = inside.astype(np.float32) if inside is not None else np.ones(values.shape[:2], np.float32)
    count = np.maximum(_box(weight, size), np.float32(1e-6))
    out = values.copy()
    for k in range(values.shape[2]):
        plane = np.ascontiguousarray(values[..., k])
        limit = np.float32((2 * amount * noise_of(plane, inside)) ** 2 + 1e-12)
        mean = np.asarray(_box(plane * weight, size) / count, np.float32)
        spread = np.maximum(_box(plane * plane * weight, size) / count - mean * mean, 0)
        slope = np.asarray(spread / (spread + limit), np.float32)
        start = mean * (1 - slope)
        found = _box(slope * weight, size) / count * plane + _box(start * weight, size) / count
        out[..., k] = np.where(weight > 0, found, plane)
    return out


def _box(plane: F32, size: tuple[int, int]) -> F32:
    return np.asarray(
        cv2.boxFilter(plane, cv2.CV_32F, size, normalize=False, borderType=cv2.BORDER_REFLECT_101), np.float32
    )
