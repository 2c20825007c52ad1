"""The weights of a step's rows, as instructions: see `weights.TileWeights`, which makes the same for whole planes."""

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.raster.box import Box
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.block_reads import BlockReads, cut
from evenpalette.core.recipe.block_weights import masked, row_weights, shares
from evenpalette.core.recipe.blocks import SOME, Line, Mask
from evenpalette.core.recipe.instructions import Instructions, Outs, Place
from evenpalette.core.recipe.sources import Sources, TileReads
from evenpalette.core.regions.overlap import Overlap, share_factors


@dataclass(frozen=True)
class StepRow:
    """A row of a step: which, the line of its weights, and where it is said whether it has any."""

    place: int
    weight: Line
    there: int


class BlockRows:
    """Weights of one stretch of instructions; steps with the same rows and amounts share them."""

    def __init__(self, sources: Sources, do: Instructions, reads: BlockReads) -> None:
        self._sources, self._do, self._reads = sources, do, reads
        self._weighed: dict[tuple, list[StepRow]] = {}
        self._divided: dict[int, dict[int, tuple[Line, int]]] = {}

    def forget(self) -> None:
        """Another stretch begins."""
        self._weighed.clear()
        self._divided.clear()

    def rows(self, step: BoundStep) -> list[StepRow]:
        """The rows of a step that may have a weight, as `TileWeights` makes them."""
        key = step.amount, tuple((row.regions, row.amount) for row in step.rows)
        if key not in self._weighed:
            self._weighed[key] = self._make_rows(step)
        return self._weighed[key]

    def _make_rows(self, step: BoundStep) -> list[StepRow]:
        if len(step.rows) == 1 and step.rows[0].regions is None:
            amount = step.amount * step.rows[0].amount
            has = self._do.held.presence(1, SOME)[0]
            return [StepRow(0, self._do.held.filled(amount), has)] if amount else []
        first = next((r for row in step.rows for r in row.regions or ()), None)
        if first is None:
            return []
        sharing, known = self._division(first)
        present = [
            k
            for k, row in enumerate(step.rows)
            if row.amount and (row.regions is None or any(r in known for r in row.regions))
        ]
        own: list[Sequence[int]] = [[r for r in step.rows[k].regions or () if r in known] for k in present]
        amounts = [step.rows[k].amount * step.amount for k in present]
        rest = next((i for i, k in enumerate(present) if step.rows[k].regions is None), -1)
        named = [r for regions in own for r in regions]
        alone = rest < 0 and len(named) == len(set(named)) == len(own)
        if alone and set(amounts) == {1.0} and sharing is not Overlap.ADDITIVE:
            # Each row has a region of its own at full amount, and shares never pass one.
            return [StepRow(k, *known[regions[0]]) for k, regions in zip(present, own, strict=True)]
        if not present:
            return []
        if rest >= 0:
            own[rest] = sorted({r for row in step.rows for r in row.regions or () if r in known})
        lines, there = self._do.held.lines(len(present)), self._do.held.presence(len(present))
        said = [len(present), rest]
        for out, word, regions in zip(lines, there, own, strict=True):
            said += [out[0], word, len(regions)]
        said += [part for regions in own for r in regions for part in (known[r][0][0], known[r][1])]
        self._do.emit(row_weights, amounts, (), said)
        return [StepRow(k, out, word) for k, out, word in zip(present, lines, there, strict=True)]

    def _division(self, region: int) -> tuple[Overlap, dict[int, tuple[Line, int]]]:
        """The policy of a region's division; by region the line of its shares and where it is said whether it has
        any."""
        index = start = 0
        while region >= start + self._sources.divisions[index].count:
            start += self._sources.divisions[index].count
            index += 1
        sharing = self._sources.divisions[index]
        if index not in self._divided:
            lines, there = self._do.held.lines(sharing.count), self._do.held.presence(sharing.count)
            each = [part for out, has in zip(lines, there, strict=True) for part in (0, out[0], has)]
            factors = share_factors(sharing.count, sharing.overlap)
            words = self._do.emit(shares, factors, (), [sharing.count, int(sharing.overlap is Overlap.LAYERED), *each])
            for k in range(sharing.count):
                coverage = self._sources.coverages[start + k]
                self._do.places.append(Place(words.held, 3 + 3 * k, _coverage_of(coverage)))
            self._divided[index] = {start + k: (lines[k], there[k]) for k in range(sharing.count)}
        return sharing.overlap, self._divided[index]

    def masked(self, step: BoundStep, index: int, row: StepRow, mask: Mask) -> StepRow:
        """A row under the step's own mask."""
        own, product = self._do.held.lines(2)
        there = self._do.held.presence(1)[0]
        bound = step.rows[row.place]
        taken = self._reads.taken(mask.reads, step, bound, {})
        words = self._do.emit(mask.kernel, mask.numbers(bound.values), [own, *taken], when=row.there)
        self._do.follow(words, [index], lambda steps: mask.numbers(steps[index].rows[row.place].values))
        self._do.emit(masked, (), [own, row.weight, product], [row.there, there])
        return StepRow(row.place, product, there)


def _coverage_of(plane: NDArray[np.uint8]) -> Callable[[Box, TileReads, Sequence[Outs]], NDArray]:
    return lambda box, _reads, _outs: cut(plane, box)
