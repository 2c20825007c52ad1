"""True coverages from an antialiased ID image.

Every edge texel is a mixture of flags that lie beside it: image = sum(share_k * flag_k), shares not negative, sum 1.
Only flags that own a nearby flat texel may take part, so a red-to-blue edge is never read as the magenta region.
All mixtures of one, two and three of them are solved in closed form (constrained least squares in stored values, the
space in which images are usually resized) and the best one is kept, preferring fewer flags when the fit is alike.
"""

from collections.abc import Sequence

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

_PURE_DISTANCE = 10.0
#: An extra flag must lower the squared error by this much (8-bit codes squared), or noise would invent mixtures.
_PRICE_OF_A_FLAG = 24.0


@njit(nogil=True, cache=True)
def _pair(x, a, b):  # type: ignore[no-untyped-def]
    """Share of b in the mixture of a and b nearest to x, and the squared error."""
    num, den = 0.0, 0.0
    for c in range(3):
        num += (x[c] - a[c]) * (b[c] - a[c])
        den += (b[c] - a[c]) ** 2
    t = min(1.0, max(0.0, num / den)) if den > 0 else 0.0
    error = 0.0
    for c in range(3):
        error += (x[c] - a[c] - t * (b[c] - a[c])) ** 2
    return t, error


@njit(nogil=True, cache=True)
def _triple(x, a, b, d):  # type: ignore[no-untyped-def]
    """Shares of b and d in the mixture of a, b, d inside the triangle; a negative error means outside."""
    uu, uv, vv, ux, vx = 0.0, 0.0, 0.0, 0.0, 0.0
    for c in range(3):
        u, v, w = b[c] - a[c], d[c] - a[c], x[c] - a[c]
        uu += u * u
        uv += u * v
        vv += v * v
        ux += u * w
        vx += v * w
    determinant = uu * vv - uv * uv
    if determinant <= 1e-6 * uu * vv:
        return 0.0, 0.0, -1.0
    s, t = (vv * ux - uv * vx) / determinant, (uu * vx - uv * ux) / determinant
    if s < 0 or t < 0 or s + t > 1:
        return 0.0, 0.0, -1.0
    error = 0.0
    for c in range(3):
        error += (x[c] - a[c] - s * (b[c] - a[c]) - t * (d[c] - a[c])) ** 2
    return s, t, error


@njit(nogil=True, cache=True, parallel=True)
def _solve(image, labels, flags, radius, price, out):  # type: ignore[no-untyped-def]
    height, width = labels.shape
    count = flags.shape[0]
    for row in prange(height):
        near = np.zeros(count, np.int64)
        present = np.zeros(count, np.int64)
        for column in range(width):
            own = labels[row, column]
            if own >= 0:
                out[own, row, column] = 255
                continue
            for k in range(count):
                near[k] = 0
            for reach in range(1, radius + 1):
                found = 0
                for y in range(max(0, row - reach), min(height, row + reach + 1)):
                    for x in range(max(0, column - reach), min(width, column + reach + 1)):
                        if labels[y, x] >= 0 and near[labels[y, x]] == 0:
                            near[labels[y, x]] = 1
                for k in range(count):
                    found += near[k]
                if found >= 2 and reach >= 2:
                    break
            size = 0
            for k in range(count):
                if near[k] > 0:
                    present[size] = k
                    size += 1
            if size == 0:
                for k in range(count):
                    present[k] = k
                size = count
            x = image[row, column]
            best, one, two, three, s, t = 1e30, 0, 0, 0, 0.0, 0.0
            for i in range(size):
                a = flags[present[i]]
                error = (x[0] - a[0]) ** 2 + (x[1] - a[1]) ** 2 + (x[2] - a[2]) ** 2
                if error < best:
                    best, one, two, three, s, t = error, present[i], present[i], present[i], 0.0, 0.0
            for i in range(size):
                for j in range(i + 1, size):
                    share, error = _pair(x, flags[present[i]], flags[present[j]])
                    if error + price < best:
                        best, one, two, three, s, t = error + price, present[i], present[j], present[i], share, 0.0
            if best > 3 * price:
                for i in range(size):
                    for j in range(i + 1, size):
                        for k in range(j + 1, size):
                            p, q, error = _triple(x, flags[present[i]], flags[present[j]], flags[present[k]])
                            if error >= 0 and error + 2 * price < best:
                                best, one, two, three, s, t = (
                                    error + 2 * price, present[i], present[j], present[k], p, q,
                                )  # fmt: skip
            second, third = int(s * 255 + 0.5), int(t * 255 + 0.5)
            third = min(third, 255 - second)
            out[one, row, column] += 255 - second - third
            out[two, row, column] += second
            out[three, row, column] += third


def unmix(image: NDArray[np.uint8], colors: Sequence[tuple[int, ...]], *, radius: int = 3) -> NDArray[np.uint8]:
    """Coverages that sum to exactly 255 at every texel: uint8 (flags, height, width).

    image: uint8 (height, width, 3). colors: all flags of the image, the background included (its coverage is one of
    the results). radius: how many texels away from a flat area its edge may still reach.
    """
    flags = np.array(colors, np.float64).reshape(-1, 3)
    height, width = image.shape[:2]
    labels = np.full((height, width), -1, np.int16)
    for index, color in enumerate(colors):
        low = [max(0, int(c - _PURE_DISTANCE)) for c in color]
        high = [min(255, int(c + _PURE_DISTANCE)) for c in color]
        labels[cv2.inRange(image, np.array(low), np.array(high)) > 0] = index
    out = np.zeros((len(colors), height, width), np.uint8)
    _solve(image.astype(np.float32), labels, flags, radius, _PRICE_OF_A_FLAG, out)
    return out
