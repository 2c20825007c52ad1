"""Coverages that are known by sampling."""

import cv2
import numpy as np


def true_shares(size: int = 128, samples: int = 8) -> np.ndarray:
    """Shares of four blobs and a background, averaged from samples x samples points a texel; float (5, size, size)."""
    big = np.zeros((size * samples, size * samples), np.uint8)
    for index, (x, y, radius) in enumerate(
        ((0.3, 0.3, 0.22), (0.68, 0.32, 0.2), (0.4, 0.7, 0.24), (0.75, 0.72, 0.17)), 1
    ):
        cv2.circle(big, (int(x * big.shape[0]), int(y * big.shape[0])), int(radius * big.shape[0]), index, -1)
    planes = [(big == (i + 1 if i < 4 else 0)).reshape(size, samples, size, samples).mean((1, 3)) for i in range(5)]
    return np.stack(planes)
