"""Patterns for painted textures: tileable noise, and the maps that follow from a height."""

import cv2
import numpy as np
from numpy.typing import NDArray


def noise(size: int, scale_x: float, scale_y: float, seed: int, octaves: int = 4) -> NDArray:
    """Smooth tileable noise, 0..1 (size, size): random values filtered in the frequency domain."""
    rng = np.random.default_rng(seed)
    total = np.zeros((size, size))
    fy, fx = np.meshgrid(np.fft.fftfreq(size) * size, np.fft.rfftfreq(size) * size, indexing="ij")
    for octave in range(octaves):
        sx, sy = scale_x * 2**octave, scale_y * 2**octave
        spectrum = np.fft.rfft2(rng.standard_normal((size, size))) * np.exp(-((fx / sx) ** 2) - (fy / sy) ** 2)
        layer = np.fft.irfft2(spectrum, (size, size))
        total += layer / layer.std() * 0.55**octave
    return 1 / (1 + np.exp(-1.3 * total / total.std()))


def smoothstep(low: float, high: float, x: NDArray) -> NDArray:
    """Soft threshold between low and high."""
    t = np.clip((x - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def normal_from_height(height: NDArray, strength: float) -> NDArray:
    """Tangent-space normal map, uint8 RGB, green up (v of the texture runs down)."""
    dx = cv2.Sobel(height, cv2.CV_64F, 1, 0, ksize=3) * strength
    dy = cv2.Sobel(height, cv2.CV_64F, 0, 1, ksize=3) * strength
    normal = np.stack([-dx, dy, np.ones_like(height)], -1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    return np.round((normal * 0.5 + 0.5) * 255).astype(np.uint8)
