"""Entries along a short path, so that neighbors in value are neighbors in color: what filtering and compression of an
index texture then make of the space between two entries is close to both.

The path: nearest neighbor, then 2-opt (G. A. Croes, "A method for solving traveling-salesman problems", 1958) and moves
of single entries, by what neighboring texels of the picture would suffer from.
"""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit
from evenpalette.core.tones.palettes.census import points_of


def meetings(indices: NDArray[np.uint8], count: int) -> NDArray[np.float64]:
    """How often two entries lie beside each other in an index picture (height, width), symmetric (count, count)."""
    found = np.zeros(count * count, np.int64)
    for one, other in ((indices[:, :-1], indices[:, 1:]), (indices[:-1], indices[1:])):
        pairs = one.reshape(-1).astype(np.int64) * count + other.reshape(-1)
        found += np.bincount(pairs, minlength=count * count)
    both = found.reshape(count, count).astype(np.float64)
    both += both.T
    np.fill_diagonal(both, 0)
    return both


@njit(nogil=True, cache=True)
def _begin(apart, start, path):  # type: ignore[no-untyped-def]
    n = len(path)
    used = np.zeros(n, np.bool_)
    path[0] = start
    used[start] = True
    for i in range(1, n):
        best = -1
        for k in range(n):
            if not used[k] and (best < 0 or apart[path[i - 1], k] < apart[path[i - 1], best]):
                best = k
        path[i] = best
        used[best] = True


@njit(nogil=True, cache=True)
def _shorten(apart, path, rounds):  # type: ignore[no-untyped-def]
    """2-opt of an open path."""
    n = len(path)
    for _ in range(rounds):
        better = False
        for i in range(n - 1):
            for j in range(i + 1, n):
                before = (apart[path[i - 1], path[i]] if i > 0 else 0.0) + (
                    apart[path[j], path[j + 1]] if j + 1 < n else 0.0
                )
                after = (apart[path[i - 1], path[j]] if i > 0 else 0.0) + (
                    apart[path[i], path[j + 1]] if j + 1 < n else 0.0
                )
                if after < before - 1e-9:
                    a, b = i, j
                    while a < b:
                        path[a], path[b] = path[b], path[a]
                        a += 1
                        b -= 1
                    better = True
        if not better:
            return


@njit(nogil=True, cache=True)
def _suffering(one, other, weights, places, path, points):  # type: ignore[no-untyped-def]
    """What a filter halfway between two entries makes of texels that lie beside each other: how far the entry in the
    middle is from the color in the middle, by how often they meet."""
    total = 0.0
    for p in range(len(one)):
        a, b = places[one[p]], places[other[p]]
        for share in (0.25, 0.5, 0.75):
            middle = path[np.int64(a + (b - a) * share + 0.5)]
            away = 0.0
            for k in range(points.shape[1]):
                wanted = points[one[p], k] + (points[other[p], k] - points[one[p], k]) * share
                away += (points[middle, k] - wanted) ** 2
            total += weights[p] * np.sqrt(away)
    return total


@njit(nogil=True, cache=True)
def _improve(one, other, weights, path, points, tries, seed):  # type: ignore[no-untyped-def]
    """Turn pieces of the path about and move pieces elsewhere while that lessens the suffering."""
    np.random.seed(seed)
    n = len(path)
    places = np.empty(n, np.int64)
    for i in range(n):
        places[path[i]] = i
    best = _suffering(one, other, weights, places, path, points)
    trial = path.copy()
    for _ in range(tries):
        i, j = np.random.randint(n), np.random.randint(n)
        if i > j:
            i, j = j, i
        if i == j:
            continue
        trial[:] = path
        if np.random.random() < 0.5:
            for k in range(j - i + 1):
                trial[i + k] = path[j - k]
        else:
            moved = path[i]
            for k in range(i, j):
                trial[k] = path[k + 1]
            trial[j] = moved
        for k in range(i, j + 1):
            places[trial[k]] = k
        found = _suffering(one, other, weights, places, trial, points)
        if found < best:
            best = found
            path[:] = trial
        else:
            for k in range(i, j + 1):
                places[path[k]] = k


def short_path(
    palette: NDArray[np.uint8], beside: NDArray[np.float64] | None = None, *, most_pairs: int = 1500
) -> NDArray[np.int64]:
    """Places of entries, uint8 (n, 3 or 4), along a short path in DIN99b from dark to light.

    beside: how often entries lie beside each other, see `meetings`; the path is then bettered by what filtering does.
    """
    points = points_of(palette).astype(np.float64)
    n = len(points)
    if n < 3:
        return np.argsort(points[:, 0], kind="stable")
    apart = np.sqrt(((points[:, None] - points[None]) ** 2).sum(-1))
    best, shortest = None, np.inf
    for start in np.unique([int(points[:, 0].argmin()), int(points[:, 0].argmax()), int(apart.sum(1).argmax())]):
        path = np.empty(n, np.int64)
        _begin(apart, start, path)
        _shorten(apart, path, 60)
        length = float(apart[path[:-1], path[1:]].sum())
        if length < shortest:
            best, shortest = path, length
    assert best is not None
    if beside is not None and beside.any():
        one, other = np.nonzero(np.triu(beside))
        weights = beside[one, other]
        kept = np.argsort(-weights, kind="stable")[:most_pairs]
        _improve(one[kept], other[kept], weights[kept], best, points, 6000, 1)
    return best if points[best[0], 0] <= points[best[-1], 0] else np.ascontiguousarray(best[::-1])
