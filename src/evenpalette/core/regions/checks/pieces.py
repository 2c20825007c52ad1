"""Connected pieces of equal labels, found by runs along rows: what is large costs next to nothing."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import njit, prange


@njit(nogil=True, cache=True, parallel=True)
def _count_runs(labels, counts):  # type: ignore[no-untyped-def]
    for y in prange(labels.shape[0]):
        found = 1
        for x in range(1, labels.shape[1]):
            if labels[y, x] != labels[y, x - 1]:
                found += 1
        counts[y] = found


@njit(nogil=True, cache=True, parallel=True)
def _find_runs(labels, first, begins, values):  # type: ignore[no-untyped-def]
    for y in prange(labels.shape[0]):
        at = first[y]
        begins[at] = 0
        values[at] = labels[y, 0]
        for x in range(1, labels.shape[1]):
            if labels[y, x] != labels[y, x - 1]:
                at += 1
                begins[at] = x
                values[at] = labels[y, x]


@njit(nogil=True, cache=True)
def _root(parent, i):  # type: ignore[no-untyped-def]
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@njit(nogil=True, cache=True)
def _join(first, begins, values, width, parent, areas):  # type: ignore[no-untyped-def]
    rows = len(first) - 1
    for i in range(len(begins)):
        parent[i] = i
    for y in range(1, rows):
        a, b = first[y - 1], first[y]
        while a < first[y] and b < first[y + 1]:
            a_end = begins[a + 1] if a + 1 < first[y] else width
            b_end = begins[b + 1] if b + 1 < first[y + 1] else width
            # Corners touch too.
            if values[a] == values[b] and begins[a] <= b_end and begins[b] <= a_end:
                one, other = _root(parent, a), _root(parent, b)
                if one < other:
                    parent[other] = one
                else:
                    parent[one] = other
            # A run that ends at the same column may still touch the next one by a corner.
            if a_end < b_end:
                a += 1
            elif b_end < a_end:
                b += 1
            else:
                if b + 1 < first[y + 1] and values[b + 1] == values[a]:
                    one, other = _root(parent, a), _root(parent, b + 1)
                    parent[max(one, other)] = min(one, other)
                if a + 1 < first[y] and values[a + 1] == values[b]:
                    one, other = _root(parent, a + 1), _root(parent, b)
                    parent[max(one, other)] = min(one, other)
                a += 1
                b += 1
    for y in range(rows):
        for i in range(first[y], first[y + 1]):
            end = begins[i + 1] if i + 1 < first[y + 1] else width
            parent[i] = _root(parent, i)
            areas[parent[i]] += end - begins[i]


@dataclass(frozen=True)
class Pieces:
    """Runs of equal labels: row, begin and end column (exclusive), label, and the piece (number of its first run) of
    each run; areas: texels of the piece, by its number."""

    rows: NDArray[np.int64]
    begins: NDArray[np.int64]
    ends: NDArray[np.int64]
    values: NDArray[np.int32]
    piece: NDArray[np.int64]
    areas: NDArray[np.int64]

    def small(self, fewer_than: int) -> list[NDArray[np.int64]]:
        """For each piece of fewer texels, the numbers of its runs in order."""
        runs = np.flatnonzero(self.areas[self.piece] < fewer_than)
        order = runs[np.argsort(self.piece[runs], kind="stable")]
        return np.split(order, np.flatnonzero(np.diff(self.piece[order])) + 1) if len(order) else []

    def paint(self, runs: NDArray[np.int64], out: NDArray[np.bool_]) -> None:
        """Set the texels of runs in a mask."""
        for i in runs:
            out[self.rows[i], self.begins[i] : self.ends[i]] = True


def find_pieces(labels: NDArray[np.int16]) -> Pieces:
    """Pieces of equal labels, int16 (h, w), connected over sides and corners.

    Source: L. He, Y. Chao, K. Suzuki, "A Run-Based Two-Scan Labeling Algorithm", IEEE TIP 17(5), 2008.
    """
    height, width = labels.shape
    counts = np.empty(height, np.int64)
    _count_runs(labels, counts)
    first = np.concatenate([[0], np.cumsum(counts)])
    total = int(first[-1])
    begins, values = np.empty(total, np.int64), np.empty(total, np.int32)
    _find_runs(labels, first, begins, values)
    parent, areas = np.empty(total, np.int64), np.zeros(total, np.int64)
    _join(first, begins, values, width, parent, areas)
    ends = np.append(begins[1:], width)
    ends[first[1:] - 1] = width
    return Pieces(np.repeat(np.arange(height), counts), begins, ends, values, parent, areas)
