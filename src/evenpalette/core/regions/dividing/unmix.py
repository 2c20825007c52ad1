"""True coverages from an antialiased ID image.

Every edge texel is a mixture of flags that lie beside it: image = sum(share_k * flag_k), shares not negative, sum 1.
Only flags that own a nearby flat texel may take part, so a red-to-blue edge is never read as the magenta region. A
texel of a flag's color is that flag where its surroundings are flat, or where no mixture of the flags beside it gives
that color: the middle of an edge between two flags may be the very color of a third.
All mixtures of one, two and three of them are solved in closed form (constrained least squares in stored values, the
space in which images are usually resized) and the best one is kept, preferring fewer flags when the fit is alike.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit, prange

#: A texel this near to a flag, or within this part of the way to the next flag, may be that flag.
_PURE_DISTANCE, _PURE_PART = 10.0, 0.3
#: An extra flag must lower the squared error by this much (8-bit codes squared), or noise would invent mixtures; less
#: where flags lie close together.
_PRICE_OF_A_FLAG, _PRICE_PART = 24.0, 0.1


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
def _nearest(image, flags, snap, out):  # type: ignore[no-untyped-def]
    """The flag that each texel may be: the nearest one, where it is near enough; else -1."""
    for row in prange(out.shape[0]):
        for column in range(out.shape[1]):
            best, found = 1e30, -1
            for k in range(flags.shape[0]):
                distance = 0.0
                for c in range(3):
                    distance += (np.float64(image[row, column, c]) - flags[k, c]) ** 2
                if distance < best:
                    best, found = distance, k
            out[row, column] = found if best <= snap[found] ** 2 else -1


@njit(nogil=True, cache=True, parallel=True)
def _solid(candidates, out):  # type: ignore[no-untyped-def]
    """Keep a candidate where it is part of three by three alike ones; beyond the rim counts as alike."""
    height, width = candidates.shape
    for row in prange(height):
        for column in range(width):
            own = candidates[row, column]
            out[row, column] = -1
            if own < 0:
                continue
            for cy in range(max(0, row - 1), min(height, row + 2)):
                for cx in range(max(0, column - 1), min(width, column + 2)):
                    alike = True
                    for y in range(max(0, cy - 1), min(height, cy + 2)):
                        for x in range(max(0, cx - 1), min(width, cx + 2)):
                            if candidates[y, x] != own:
                                alike = False
                    if alike:
                        out[row, column] = own


@njit(nogil=True, cache=True, parallel=True)
def _keep_lines(image, candidates, solid, flags, radius, within, out):  # type: ignore[no-untyped-def]
    """Thin parts of a flag: candidates that no pair of other flags near them explains are kept too."""
    height, width = candidates.shape
    count = flags.shape[0]
    for row in prange(height):
        near = np.zeros(count, np.bool_)
        for column in range(width):
            own = candidates[row, column]
            out[row, column] = solid[row, column]
            if own < 0 or solid[row, column] >= 0:
                continue
            near[:] = False
            for y in range(max(0, row - radius), min(height, row + radius + 1)):
                for x in range(max(0, column - radius), min(width, column + radius + 1)):
                    if solid[y, x] >= 0 and solid[y, x] != own:
                        near[solid[y, x]] = True
            x = image[row, column].astype(np.float64)
            explained = False
            for i in range(count):
                for j in range(i + 1, count):
                    if near[i] and near[j]:
                        share, error = _pair(x, flags[i], flags[j])
                        if error <= within[own] ** 2 and 0.0 < share < 1.0:
                            explained = True
            if not explained:
                out[row, column] = own


@njit(nogil=True, cache=True, parallel=True)
def _solve(image, labels, flags, radius, price, full, out):  # type: ignore[no-untyped-def]
    height, width = labels.shape
    count = flags.shape[0]
    for row in prange(height):
        near = np.zeros(count, np.int64)
        present = np.zeros(count, np.int64)
        for column in range(width):
            own = labels[row, column]
            # On the rim of a flat area a little of a neighbor may be mixed in; inside it is all the flag's.
            inside = own >= 0
            for y in range(max(0, row - 1), min(height, row + 2)):
                for x in range(max(0, column - 1), min(width, column + 2)):
                    inside = inside and labels[y, x] == own
            if inside:
                out[own, row, column] = full
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
            x = image[row, column].astype(np.float64)
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
            second, third = int(s * full + 0.5), int(t * full + 0.5)
            third = min(third, full - second)
            out[one, row, column] += full - second - third
            out[two, row, column] += second
            out[three, row, column] += third


def unmix(
    image: NDArray[np.uint8], colors: Sequence[tuple[int, ...]], *, radius: int = 3, depth: int = 8
) -> NDArray[np.uint8]:
    """Coverages that sum to exactly one at every texel: (flags, height, width), uint8 or, with depth 16, uint16.

    image: uint8 (height, width, 3). colors: all flags of the image, the background included (its coverage is one of
    the results). radius: how many texels away from a flat area its edge may still reach.
    """
    flags = np.array(colors, np.float64).reshape(-1, 3)
    image = np.ascontiguousarray(image)
    shape = image.shape[:2]
    apart = np.linalg.norm(flags[:, None] - flags[None], axis=-1)
    apart[np.arange(len(flags)), np.arange(len(flags))] = np.inf
    closest = np.minimum(apart.min(1, initial=np.inf), 1e6)
    snap = np.minimum(_PURE_DISTANCE, _PURE_PART * closest)
    candidates, solid, labels = (np.empty(shape, np.int16) for _ in range(3))
    _nearest(image, flags, snap, candidates)
    _solid(candidates, solid)
    _keep_lines(image, candidates, solid, flags, radius, snap, labels)
    price = min(_PRICE_OF_A_FLAG, (_PRICE_PART * float(closest.min())) ** 2)
    full = 255 if depth == 8 else 65535
    out = np.zeros((len(flags), *shape), np.uint8 if depth == 8 else np.uint16)
    _solve(image, labels, flags, radius, price, full, out)
    return out
