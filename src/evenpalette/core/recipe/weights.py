"""The weight of each row of a step at each texel of a tile, from the coverages of the row's division."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.regions.model import Overlap
from evenpalette.core.regions.overlap import resolve_tile

F32 = NDArray[np.float32]


@dataclass(frozen=True)
class Sharing:
    """A division as evaluation sees it: its policy, and how many of the coverages in order are its regions'."""

    overlap: Overlap
    count: int


@njit(nogil=True, cache=True, fastmath=True)
def _row_weights(resolved, regions, rows, named, rest, amounts, out):  # type: ignore[no-untyped-def]
    """regions, rows: pairs that belong together; named: regions that any row names; rest: the row everywhere else."""
    count, texels = out.shape
    one = np.float32(1)
    for i in range(texels):
        for k in range(count):
            out[k, i] = 0
        for p in range(regions.size):
            out[rows[p], i] += resolved[regions[p], i]
        if rest >= 0:
            left = one
            for p in range(named.size):
                left -= resolved[named[p], i]
            out[rest, i] = max(left, np.float32(0))
        total = np.float32(0)
        for k in range(count):
            weight = min(out[k, i], one) * amounts[k]
            out[k, i] = weight
            total += weight
        if total > one:
            for k in range(count):
                out[k, i] /= total


class TileWeights:
    """Row weights of one tile; coverages are resolved once for each division, and only when a step needs them."""

    def __init__(
        self, coverages: Sequence[NDArray[np.uint8]], sharings: Sequence[Sharing], box: tuple[int, int, int, int]
    ) -> None:
        self._coverages, self._sharings, self._box = coverages, sharings, box
        self.texels = (box[2] - box[0]) * (box[3] - box[1])
        self._resolved: dict[int, tuple[dict[int, int], F32]] = {}

    def of(self, step: BoundStep) -> tuple[list[int], F32]:
        """The rows that have a texel here, and their weights float32 (rows, texels), step amount included."""
        if len(step.rows) == 1 and step.rows[0].regions is None:
            return [0], np.full((1, self.texels), step.amount * step.rows[0].amount, np.float32)
        first = next((r for row in step.rows for r in row.regions or ()), None)
        if first is None:
            return [], np.empty((0, self.texels), np.float32)
        places, resolved = self._division(first)
        pairs = [(places[r], k) for k, row in enumerate(step.rows) for r in row.regions or () if r in places]
        present = sorted({k for _, k in pairs} | {k for k, row in enumerate(step.rows) if row.regions is None})
        present = [k for k in present if step.rows[k].amount != 0]
        if not present:
            return [], np.empty((0, self.texels), np.float32)
        column = {k: i for i, k in enumerate(present)}
        pairs = [(region, column[k]) for region, k in pairs if k in column]
        rest = next((column[k] for k in present if step.rows[k].regions is None), -1)
        named = sorted({places[r] for row in step.rows for r in row.regions or () if r in places})
        out = np.empty((len(present), self.texels), np.float32)
        _row_weights(
            resolved, np.array([p[0] for p in pairs], np.int64), np.array([p[1] for p in pairs], np.int64),
            np.array(named, np.int64), rest,
            np.array([step.rows[k].amount * step.amount for k in present], np.float32), out,
        )  # fmt: skip
        return present, out

    def _division(self, region: int) -> tuple[dict[int, int], F32]:
        """Where each region of a region's division is among those that have a texel here, and their resolved shares."""
        index = start = 0
        while region >= start + self._sharings[index].count:
            start += self._sharings[index].count
            index += 1
        sharing = self._sharings[index]
        if index not in self._resolved:
            left, top, right, bottom = self._box
            tiles = [c[top:bottom, left:right] for c in self._coverages[start : start + sharing.count]]
            present = [i for i, tile in enumerate(tiles) if tile.any()]
            raw = np.empty((len(present), self.texels), np.uint8)
            for line, place in enumerate(present):
                raw[line] = tiles[place].reshape(-1)
            places = {start + place: line for line, place in enumerate(present)}
            self._resolved[index] = places, resolve_tile(raw, sharing.overlap)
        return self._resolved[index]
