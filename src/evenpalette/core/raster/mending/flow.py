"""Smoothing along the flow of strands and grain, not across it.

The flow is the direction of least change of the structure tensor (J. Weickert, "Coherence-Enhancing Diffusion
Filtering", IJCV 31, 1999) of all channels together (S. Di Zenzo, "A note on the gradient of a multi-image", 1986). Each
texel becomes a mean along the line of flow through it (line integral convolution: B. Cabral, L. Leedom, SIGGRAPH 1993).
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32
from evenpalette.core.kernels import njit, prange

#: Texels over which derivatives, and then the tensor, are averaged (standard deviations).
_FINE, _BROAD = 0.7, 2.5
_MOST_REACH = 64


@njit(nogil=True, cache=True, parallel=True, fastmath=True)
def _along(values, along_x, along_y, share, island, weights, out):  # type: ignore[no-untyped-def]
    """Weighted means along lines of flow. island: int32 (h, w), lines end where it changes; weights: from the middle
    out."""
    height, width, channels = values.shape
    reach = weights.size - 1
    for row in prange(height):
        held = np.zeros(8, np.float32)
        for column in range(width):
            amount = share[row, column]
            home = island[row, column]
            if amount <= 0:
                for k in range(channels):
                    out[row, column, k] = values[row, column, k]
                continue
            total = weights[0]
            for k in range(channels):
                held[k] = values[row, column, k] * weights[0]
            for side in range(2):
                x, y = np.float32(column), np.float32(row)
                dx, dy = along_x[row, column], along_y[row, column]
                if side:
                    dx, dy = -dx, -dy
                for step in range(1, reach + 1):
                    x, y = x + dx, y + dy
                    near_x, near_y = int(x + np.float32(0.5)), int(y + np.float32(0.5))
                    if x < 0 or y < 0 or near_x >= width or near_y >= height or island[near_y, near_x] != home:
                        break
                    left, top = int(x), int(y)
                    right, bottom = min(left + 1, width - 1), min(top + 1, height - 1)
                    fx, fy = x - left, y - top
                    if (
                        island[top, left] != home
                        or island[bottom, right] != home
                        or island[top, right] != home
                        or island[bottom, left] != home
                    ):
                        fx, fy, left, top, right, bottom = np.float32(0), np.float32(0), near_x, near_y, near_x, near_y
                    weight = weights[step]
                    total += weight
                    a, b = (1 - fx) * (1 - fy) * weight, fx * (1 - fy) * weight
                    c, d = (1 - fx) * fy * weight, fx * fy * weight
                    for k in range(channels):
                        held[k] += (
                            values[top, left, k] * a
                            + values[top, right, k] * b
                            + values[bottom, left, k] * c
                            + values[bottom, right, k] * d
                        )
                    next_x, next_y = along_x[near_y, near_x], along_y[near_y, near_x]
                    if next_x * dx + next_y * dy < 0:
                        next_x, next_y = -next_x, -next_y
                    dx, dy = next_x, next_y
            for k in range(channels):
                mean = held[k] / total
                out[row, column, k] = values[row, column, k] + (mean - values[row, column, k]) * amount


def flow_of(values: F32, broad_texels: float = _BROAD) -> tuple[F32, F32, F32]:
    """The direction of flow as a unit vector (x, y), and how clearly there is one, 0..1; float32 (height, width) each.

    values: float32 (height, width, channels). Clearly: (l1 - l2) / (l1 + l2) of the tensor's eigenvalues, squared.
    """
    xx, yy, xy = (np.zeros(values.shape[:2], np.float32) for _ in range(3))
    for k in range(values.shape[2]):
        plane = cv2.GaussianBlur(np.ascontiguousarray(values[..., k]), (0, 0), _FINE, borderType=cv2.BORDER_REFLECT_101)
        gx, gy = cv2.Scharr(plane, cv2.CV_32F, 1, 0, scale=1 / 32), cv2.Scharr(plane, cv2.CV_32F, 0, 1, scale=1 / 32)
        xx, yy, xy = xx + gx * gx, yy + gy * gy, xy + gx * gy
    xx, yy, xy = (
        np.asarray(cv2.GaussianBlur(part, (0, 0), broad_texels, borderType=cv2.BORDER_REFLECT_101), np.float32)
        for part in (xx, yy, xy)
    )
    # Across the flow is the eigenvector of the larger eigenvalue: half the angle of (xx - yy, 2 xy).
    apart = np.hypot(xx - yy, 2 * xy)
    angle = 0.5 * np.arctan2(2 * xy, xx - yy) + np.float32(np.pi / 2)
    clear = apart / np.maximum(xx + yy, np.float32(1e-9))
    return np.cos(angle).astype(np.float32), np.sin(angle).astype(np.float32), np.asarray(clear * clear, np.float32)


def smooth_along(values: F32, reach_texels: int, amount: float = 1.0, island: NDArray[np.int32] | None = None) -> F32:
    """Values smoothed along their flow, float32 (height, width, channels of at most 8).

    reach_texels: how far a line goes to either side, 1 to 64; its weights fall off like a Gaussian of half of that.
    amount: 0 leaves all as it is, 1 is all of it where the flow is clear; where there is none nothing happens. island:
    int32 (height, width), lines end where it changes.
    """
    reach = int(np.clip(reach_texels, 1, _MOST_REACH))
    along_x, along_y, clear = flow_of(values)
    # Sure of the flow from a quarter of full clearness on.
    share = np.clip(clear * 4, 0, 1) * np.float32(np.clip(amount, 0, 1))
    weights = np.exp(-0.5 * (np.arange(reach + 1) / (reach / 2)) ** 2).astype(np.float32)
    home = island if island is not None else np.zeros(values.shape[:2], np.int32)
    out = np.empty_like(values)
    _along(np.ascontiguousarray(values), along_x, along_y, np.ascontiguousarray(share, np.float32), home, weights, out)
    return out
