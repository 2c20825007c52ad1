"""A recipe as instructions for `blocks.walk`: what is read, weighed, done and stored for one block after another.

A program belongs to one thread. It is made once for an evaluation; from tile to tile only the addresses of what is read
and written change. Steps that have no block kernel are run over the whole tile in between, on planes of the tile.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import Kernel, code_address
from evenpalette.core.raster.box import Box
from evenpalette.core.recipe import texels
from evenpalette.core.recipe.affine import affine, affine_numbers
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, Holds
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.block_reads import BlockReads
from evenpalette.core.recipe.block_rows import BlockRows, StepRow
from evenpalette.core.recipe.blocks import Block, Line, Mask, Words, address_of, rows_apart, walk
from evenpalette.core.recipe.instructions import Instructions, Numbers, Outs, Place
from evenpalette.core.recipe.kind import CELLS, Op, Planes, Prepared
from evenpalette.core.recipe.plan import Plan
from evenpalette.core.recipe.sources import Sources, TileReads
from evenpalette.core.recipe.weights import TileWeights
from evenpalette.core.scratch import scratch


@dataclass(frozen=True)
class TileStep:
    """What a step without block kernels does to a tile: its operations that are kept, the maps that they read."""

    step: BoundStep
    ops: Sequence[Op]
    maps: Sequence[str]


#: Runs a step over whole planes: its operations that are kept, the maps that they read.
RunStep = Callable[[BoundStep, Sequence[Op], Sequence[str], dict[str, Planes], TileWeights, TileReads], None]


class Program:
    """Recipes over one tile after another. shared: steps that all begin with. outs: results as `tile` gets them, for
    their form alone. attributes: those that are needed. most: texels of the largest tile. by_tile: runs a step that has
    no block kernels."""

    def __init__(
        self, recipes: Sequence[Sequence[BoundStep]], plans: Sequence[Plan], shared: int, sources: Sources,
        outs: Sequence[Outs], attributes: Iterable[str], most: int, by_tile: RunStep,
    ) -> None:  # fmt: skip
        self._sources, self._most, self._tile_step = sources, most, by_tile
        self._do = Instructions()
        self._reads = BlockReads(sources, self._do)
        self._rows = BlockRows(sources, self._do, self._reads)
        self._stretches: list[NDArray[np.int64] | TileStep] = []
        self._recipes, self._ops = recipes, plans[0].ops
        self._by_tile = not all(
            is_in_blocks(step, ops)
            for steps, plan in zip(recipes, plans, strict=True)
            for step, ops in zip(steps, plan.ops, strict=True)
        )
        self._lines: dict[str, list[Line]] = {}
        self._planes: dict[str, Planes] = {}
        for attribute in sorted(attributes):
            self._lines[attribute] = self._room(ATTRIBUTES[attribute].planes, attribute)
            self._reads.begin(attribute, self._lines[attribute], is_read=attribute in plans[0].starts)
        self._run(recipes[0], plans[0], 0, shared)
        kept: list[tuple[Line, Line]] = []
        if len(recipes) > 1:
            lines = [one for held in self._lines.values() for one in held]
            kept = list(zip(lines, self._room(len(lines), "kept"), strict=True))
            for one, other in kept:
                self._do.emit(texels.copy, (), [one, other])
        for place, (steps, plan) in enumerate(zip(recipes, plans, strict=True)):
            for one, other in kept if place else ():
                self._do.emit(texels.copy, (), [other, one])
            self._run(steps, plan, shared, len(steps))
            for attribute, out in outs[place].items():
                self._store(place, attribute, out)
        self._end_stretch()

    def follow(self, steps: Sequence[BoundStep]) -> bool:
        """Take other values of the one recipe that this was made for, whose plan has the same operations. Returns
        whether it could: weights, textures and what depends on them are as they were when this was made."""
        if len(self._recipes) != 1 or self._by_tile:
            return False
        before = self._recipes[0]
        changed = {k for k, (old, new) in enumerate(zip(before, steps, strict=True)) if old is not new}
        if not all(_has_form_of(steps[k], before[k], self._ops[k]) for k in changed):
            return False
        for given in self._do.given:
            if not changed.isdisjoint(given.steps):
                given.numbers[:] = given.make(steps)
        self._recipes = [steps]
        return True

    def tile(self, box: Box, outs: Sequence[Outs]) -> None:
        """Run over a tile. outs: for each recipe its rows of the result."""
        count = (box[2] - box[0]) * (box[3] - box[1])
        reads = TileReads(self._sources, box)
        # Kept until the end: nothing but an address says where they are.
        alive = self._do.look_at(self._sources.coverages, box, reads, outs)
        weights = TileWeights(self._sources.coverages, self._sources.divisions, box)
        planes = {key: tuple(plane[:count] for plane in held) for key, held in self._planes.items()}
        for stretch in self._stretches:
            if isinstance(stretch, TileStep):
                self._tile_step(stretch.step, stretch.ops, stretch.maps, planes, weights, reads)
            else:
                walk(stretch, count)
        del alive

    def _end_stretch(self) -> None:
        stretch = self._do.take_stretch()
        if stretch is not None:
            self._stretches.append(stretch)
        self._reads.forget()
        self._rows.forget()

    def _room(self, count: int, name: str) -> list[Line]:
        """Lines for planes that are there as long as a tile is worked on."""
        if not self._by_tile:
            return self._do.held.lines(count)
        planes = tuple(scratch(f"plane {name} {k}", (self._most,)) for k in range(count))
        if name in ATTRIBUTES:
            self._planes[name] = planes
        return [(address_of(plane), 4) for plane in planes]

    # What is done

    def _run(self, steps: Sequence[BoundStep], plan: Plan, first: int, end: int) -> None:
        chain: list[int] = []
        waiting: list[StepRow] = []

        def flush() -> None:
            if chain:
                places, numbers = [row.place for row in waiting], list(chain)
                self._emit_rows(
                    affine, numbers, lambda steps: _affine_of(steps, numbers, places), steps, BASE_COLOR, waiting
                )
                chain.clear()

        for step, ops, index in zip(steps[first:end], plan.ops[first:end], range(first, end), strict=True):
            if not ops:
                continue
            if not is_in_blocks(step, ops):
                flush()
                self._end_stretch()
                self._stretches.append(TileStep(step, ops, plan.maps_of(index, step.kind)))
                continue
            if len(ops) == 1 and step.kind.weigh is None and _matrices(step, ops[0]) is not None:
                rows = self._rows.rows(step)
                if rows is not waiting:
                    flush()
                    waiting = rows
                if rows:
                    chain.append(index)
                continue
            flush()
            self._step(steps, index, ops)
        flush()

    def _emit_rows(
        self, kernel: Kernel, which: Sequence[int], make: Callable[[Sequence[BoundStep]], Numbers],
        steps: Sequence[BoundStep], attribute: str, rows: Sequence[StepRow],
    ) -> None:  # fmt: skip
        """A kernel of all rows, with numbers that come from steps."""
        said = [len(rows), *(part for row in rows for part in (*row.weight, row.there))]
        self._do.follow(self._do.emit(kernel, make(steps), self._lines[attribute], said), which, make)

    def _step(self, steps: Sequence[BoundStep], index: int, ops: Sequence[Op]) -> None:
        step = steps[index]
        rows = self._rows.rows(step)
        if step.kind.weigh is not None:
            mask = step.kind.weigh.kernel
            assert isinstance(mask, Mask)
            rows = [self._rows.masked(step, index, row, mask) for row in rows]
        if not rows:
            return
        # All operations of a step see what was there before it.
        seen: dict[str, Sequence[Line]] = {attribute: self._lines[attribute] for op in ops for attribute in op.reads}
        for place, op in enumerate(ops):
            if any(op.writes in later.reads for later in ops[place + 1 :]):
                before = self._do.held.lines(len(self._lines[op.writes]))
                for one, other in zip(self._lines[op.writes], before, strict=True):
                    self._do.emit(texels.copy, (), [one, other])
                seen[op.writes] = before
        for op in ops:
            self._op(steps, index, op, rows, seen)

    def _op(
        self,
        steps: Sequence[BoundStep],
        index: int,
        op: Op,
        rows: Sequence[StepRow],
        seen: Mapping[str, Sequence[Line]],
    ) -> None:
        step, places = steps[index], [row.place for row in rows]
        if _matrices(step, op) is not None:
            self._emit_rows(affine, [index], lambda steps: _affine_of(steps, [index], places), steps, op.writes, rows)
            return
        values = [step.rows[k].values for k in places]
        together = op.together
        if together is not None and together.fits(values):

            def numbers(steps: Sequence[BoundStep]) -> Sequence[float]:
                values = [steps[index].rows[k].values for k in places]
                return together.numbers(values, [_amount(op, value) for value in values])

            self._emit_rows(together.kernel, [index], numbers, steps, op.writes, rows)
            return
        block = op.kernel
        assert isinstance(block, Block)
        each: list[int] = []
        for row in rows:
            if not _amount(op, step.rows[row.place].values):
                continue

            def of_row(steps: Sequence[BoundStep], k: int = row.place) -> Sequence[float]:
                values = steps[index].rows[k].values
                return [_amount(op, values), *block.numbers(values)]

            taken = self._reads.taken(block.reads, step, step.rows[row.place], seen)
            words = self._do.held.words(of_row(steps), [*self._lines[op.writes], row.weight, *taken])
            self._do.follow(words, [index], of_row)
            each += [code_address(block.kernel), words.address, row.there]
        if len(each) == 3:
            self._do.code.append((each[0], each[1], each[2]))
        elif each:
            ends = [part for one in self._lines[op.writes] for part in one]
            self._do.emit(rows_apart, (), (), [len(self._lines[op.writes]), len(each) // 3, *ends, *each])

    # What is stored

    def _store(self, recipe: int, attribute: str, out: NDArray) -> None:
        lines, channels, holds = self._lines[attribute], out.shape[-1], ATTRIBUTES[attribute].holds
        step = channels * out.itemsize
        stored: list[Words] = []
        if out.dtype == np.float32 and channels > len(lines):
            stored.append(self._do.emit(texels.store_vectors, (), [(0, step), *lines]))
        elif out.dtype == np.uint8 and holds is Holds.COLOR:
            stored.append(self._do.emit(texels.store_color, (), [(0, step), *lines]))
        elif out.dtype == np.uint8 and holds is Holds.SLOPES:
            stored.append(self._do.emit(texels.store_slopes, (), [(0, step), *lines]))
        elif out.dtype == np.float32 and channels == len(lines) == 3:
            stored.append(self._do.emit(texels.store_three, (), [(0, step), *lines]))
        else:
            kernel = texels.store_float if out.dtype == np.float32 else texels.store_data
            stored = [self._do.emit(kernel, (), [(0, step), one], [channels, k]) for k, one in enumerate(lines)]
        self._do.places += [Place(words.held, 1, lambda _, __, outs: outs[recipe][attribute]) for words in stored]


def is_in_blocks(step: BoundStep, ops: Sequence[Op]) -> bool:
    """Whether these operations of a step have block kernels, as has its own mask."""
    weigh = step.kind.weigh
    if ops and weigh is not None and not isinstance(weigh.kernel, Mask):
        return False
    return all(_matrices(step, op) is not None or isinstance(op.kernel, Block) or _all_rows(step, op) for op in ops)


def _all_rows(step: BoundStep, op: Op) -> bool:
    return op.together is not None and op.together.fits([row.values for row in step.rows])


def _amount(op: Op, values: Prepared) -> float:
    return float(values[op.scale]) if op.scale else 1.0


def _affine_of(steps: Sequence[BoundStep], chain: Sequence[int], places: Sequence[int]) -> NDArray[np.float32]:
    """The numbers of affine steps that follow each other, of some of their rows."""
    found = [steps[k].matrices for k in chain]
    return affine_numbers(np.stack([matrices[places] for matrices in found if matrices is not None]))


def _has_form_of(step: BoundStep, other: BoundStep, ops: Sequence[Op]) -> bool:
    """Whether two steps differ at most in numbers of their kernels."""
    if step.kind is not other.kind or step.amount != other.amount or len(step.rows) != len(other.rows):
        return False
    # What is looked up, and which tiles of a grid are read, decides what is read.
    read = [key for m in step.kind.maps for key in (*(m.by if m.looks_up else ()), *(CELLS if m.cells else ()))]
    for row, before in zip(step.rows, other.rows, strict=True):
        if (row.amount, row.regions, row.maps) != (before.amount, before.regions, before.maps):
            return False
        if any(row.values[key] != before.values[key] for key in read):
            return False
        if any(op.scale and bool(row.values[op.scale]) != bool(before.values[op.scale]) for op in ops):
            return False
        # Row by row: only those that have a weight decided whether they could be done together.
        together = [op.together for op in ops if op.together is not None]
        if any(one.fits([row.values]) != one.fits([before.values]) for one in together):
            return False
    return all((_matrices(step, op) is None) == (_matrices(other, op) is None) for op in ops)


def _matrices(step: BoundStep, op: Op) -> NDArray[np.float32] | None:
    return step.matrices if op.affine is not None and not op.scale else None
