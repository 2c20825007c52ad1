"""The weight of each row of a step at each texel of a tile, from the coverages of the row's division."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import njit
from evenpalette.core.raster.box import Box
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.regions.overlap import Overlap, resolve_tile
from evenpalette.core.scratch import filled, scratch

F32 = NDArray[np.float32]


@dataclass(frozen=True)
class Sharing:
    """A division as evaluation sees it: its policy, and how many of the coverages in order are its regions'."""

    overlap: Overlap
    count: int


_BLOCK = 1024
#: Weights that a tile keeps: recipes that differ in amounts would add some each.
_MOST_HELD = 24


@njit(nogil=True, cache=True, fastmath=True)
def _row_weights(resolved, regions, rows, named, rest, amounts, out):  # type: ignore[no-untyped-def]
    """regions, rows: pairs that belong together; named: regions that any row names; rest: the row everywhere else."""
    count, texels = out.shape
    one = np.float32(1)
    total = np.empty(_BLOCK, np.float32)
    for start in range(0, texels, _BLOCK):
        n = min(_BLOCK, texels - start)
        block = out[:, start : start + n]
        block[:] = 0
        for p in range(regions.size):
            line, share = block[rows[p]], resolved[regions[p], start : start + n]
            for i in range(n):
                line[i] += share[i]
        if rest >= 0:
            line = block[rest]
            line[:] = one
            for p in range(named.size):
                share = resolved[named[p], start : start + n]
                for i in range(n):
                    line[i] -= share[i]
            for i in range(n):
                line[i] = max(line[i], np.float32(0))
        total[:n] = 0
        for k in range(count):
            line, amount = block[k], amounts[k]
            for i in range(n):
                line[i] = min(line[i], one) * amount
            for i in range(n):
                total[i] += line[i]
        for i in range(n):
            total[i] = one / max(total[i], one)
        for k in range(count):
            line = block[k]
            for i in range(n):
                line[i] *= total[i]


@dataclass(frozen=True)
class RowWeights:
    """rows: those that have a texel here. weights: float32 (rows, texels), step amount included."""

    rows: list[int]
    weights: F32


class TileWeights:
    """Row weights of one tile; coverages are resolved once for each division, and only when a step needs them."""

    def __init__(self, coverages: Sequence[NDArray[np.uint8]], sharings: Sequence[Sharing], box: Box) -> None:
        self._coverages, self._sharings, self._box = coverages, sharings, box
        self.texels = (box[2] - box[0]) * (box[3] - box[1])
        self._resolved: dict[int, tuple[dict[int, int], F32]] = {}
        self._made: dict[tuple, RowWeights] = {}

    def of(self, step: BoundStep) -> "RowWeights":
        """The weights of a step's rows here; steps with the same rows and amounts share them."""
        key = (step.amount, tuple((row.regions, row.amount) for row in step.rows))
        if key not in self._made:
            if len(self._made) >= _MOST_HELD:
                self._made.clear()
            self._made[key] = self._make(step)
        return self._made[key]

    def _make(self, step: BoundStep) -> "RowWeights":
        nothing = RowWeights([], np.empty((0, self.texels), np.float32))
        if len(step.rows) == 1 and step.rows[0].regions is None:
            return RowWeights([0], filled(self.texels, step.amount * step.rows[0].amount)[None])
        first = next((r for row in step.rows for r in row.regions or ()), None)
        if first is None:
            return nothing
        places, resolved = self._division(first)
        pairs = [(places[r], k) for k, row in enumerate(step.rows) for r in row.regions or () if r in places]
        present = sorted({k for _, k in pairs} | {k for k, row in enumerate(step.rows) if row.regions is None})
        present = [k for k in present if step.rows[k].amount != 0]
        if not present:
            return nothing
        column = {k: i for i, k in enumerate(present)}
        pairs = [(region, column[k]) for region, k in pairs if k in column]
        rest = next((column[k] for k in present if step.rows[k].regions is None), -1)
        amounts = [step.rows[k].amount * step.amount for k in present]
        alone = rest < 0 and sorted(pairs) == [(i, i) for i in range(len(resolved))]
        if alone and set(amounts) == {1.0} and self._sharings[self._index_of(first)].overlap is not Overlap.ADDITIVE:
            # Every region here has a row of its own at full amount, and their shares never pass one.
            return RowWeights(present, resolved)
        named = sorted({places[r] for row in step.rows for r in row.regions or () if r in places})
        out = np.empty((len(present), self.texels), np.float32)
        _row_weights(
            resolved, np.array([p[0] for p in pairs], np.int64), np.array([p[1] for p in pairs], np.int64),
            np.array(named, np.int64), rest,
            np.array(amounts, np.float32), out,
        )  # fmt: skip
        return RowWeights(present, out)

    def _index_of(self, region: int) -> int:
        index = start = 0
        while region >= start + self._sharings[index].count:
            start += self._sharings[index].count
            index += 1
        return index

    def _division(self, region: int) -> tuple[dict[int, int], F32]:
        """Where each region of a region's division is among those that have a texel here, and their resolved shares."""
        index = self._index_of(region)
        sharing = self._sharings[index]
        start = sum(before.count for before in self._sharings[:index])
        if index not in self._resolved:
            left, top, right, bottom = self._box
            tiles = [c[top:bottom, left:right] for c in self._coverages[start : start + sharing.count]]
            present = [i for i, tile in enumerate(tiles) if tile.max(initial=0)]
            raw = scratch("raw", (len(present), self.texels), np.uint8)
            for line, place in enumerate(present):
                raw[line].reshape(tiles[place].shape)[...] = tiles[place]
            places = {start + place: line for line, place in enumerate(present)}
            self._resolved[index] = places, resolve_tile(raw, sharing.overlap, scratch(f"shares {index}", raw.shape))
        return self._resolved[index]
