"""Sharing pieces out among regions by wanted percentages."""

import heapq
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray


def share_out(
    sizes: NDArray, percentages: Sequence[float], seed: int, neighbors: NDArray | None = None
) -> NDArray[np.int32]:
    """A region for each piece, int32 (pieces,), so that the shares come as near the percentages as pieces allow.

    sizes: weight of each piece (ones to share by count, areas to share by area). percentages: wanted, any sum.
    neighbors: pairs of pieces (n, 2) that should get different regions where that is possible. The same seed gives the
    same result everywhere (NumPy's PCG64). Each piece goes to the region that lacks most.
    """
    sizes = np.asarray(sizes, np.float64)
    wanted = np.asarray(percentages, np.float64)
    wanted = wanted / max(wanted.sum(), 1e-12) * sizes.sum()
    random = np.random.Generator(np.random.PCG64(seed))
    # Largest first, equal sizes in random order: what is left to place is always small enough to even out.
    order = np.lexsort((random.random(len(sizes)), -np.round(sizes / max(sizes.max(), 1e-12), 6)))
    rank = np.empty(len(sizes), np.int64)
    rank[order] = np.arange(len(sizes))
    beside: list[list[int]] = [[] for _ in sizes]
    for a, b in neighbors if neighbors is not None else ():
        if a != b:
            beside[a].append(int(b))
            beside[b].append(int(a))
    given = np.full(len(sizes), -1, np.int32)
    reached = np.zeros(len(wanted))
    forbidden: list[set[int]] = [set() for _ in sizes]
    # With neighbors, the piece that has the fewest regions left comes first (Brelaz 1979), else the largest.
    waiting = [(0, int(rank[piece]), piece) for piece in range(len(sizes))]
    heapq.heapify(waiting)
    while waiting:
        count, _, piece = heapq.heappop(waiting)
        if given[piece] >= 0 or -count != len(forbidden[piece]):
            continue
        lack = (wanted - reached) + random.random(len(wanted)) * 1e-9 * sizes.sum()
        lack[np.asarray(percentages) <= 0] = -np.inf
        free = [r for r in np.argsort(-lack) if int(r) not in forbidden[piece] and np.isfinite(lack[r])]
        region = int(free[0]) if free else int(lack.argmax())
        given[piece] = region
        reached[region] += sizes[piece]
        for other in beside[piece]:
            if given[other] < 0 and region not in forbidden[other]:
                forbidden[other].add(region)
                heapq.heappush(waiting, (-len(forbidden[other]), int(rank[other]), other))
    return given


def alike_neighbors(given: NDArray[np.int32], neighbors: NDArray) -> int:
    """How many pairs of neighbors (n, 2) have the same region."""
    pairs = np.asarray(neighbors, np.int64).reshape(-1, 2)
    return int((given[pairs[:, 0]] == given[pairs[:, 1]]).sum())


def reached_shares(sizes: NDArray, given: NDArray[np.int32], count: int) -> NDArray[np.float64]:
    """The part of the whole that each region got, (count,), 0..1."""
    return np.bincount(given, weights=np.asarray(sizes, np.float64), minlength=count) / max(float(np.sum(sizes)), 1e-12)
