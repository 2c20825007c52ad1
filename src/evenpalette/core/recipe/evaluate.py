"""Running a recipe on the CPU: the reference that writes every delivered texel.

Worker threads take tiles and walk them block by block, see `program`; the interpreter's lock is free meanwhile.
"""

import threading
from collections.abc import Iterable, Iterator, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32, encode_srgb_8bit
from evenpalette.core.dataclass import dataclass
from evenpalette.core.parallel import Progress, no_progress, part_of, run_over
from evenpalette.core.raster.box import Box
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.raster.reading import resize_plane
from evenpalette.core.recipe.affine import apply_affine
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, STEEPEST, Holds
from evenpalette.core.recipe.binding import BoundRow, BoundStep
from evenpalette.core.recipe.kind import Op, Planes
from evenpalette.core.recipe.plan import Plan, plan_of, whole_plan
from evenpalette.core.recipe.program import Program
from evenpalette.core.recipe.sources import Sources, TileReads
from evenpalette.core.recipe.weights import TileWeights

#: Large enough that what is done once for a tile costs little.
TILE_TEXELS = 262144


#: Programs that an `Evaluator` keeps: variants differ in amounts and in textures too.
_MOST_PROGRAMS = 8
#: Pictures of recipes that are evaluated together may take so much.
_MOST_BATCH_BYTES = 256 << 20


def evaluate(
    steps: Sequence[BoundStep], sources: Sources, *, size: tuple[int, int] | None = None, box: Box | None = None,
    float_output: bool = False, progress: Progress = no_progress, workers: int = 0,
) -> Raster:  # fmt: skip
    """The base color of a recipe, as `evaluate_surface` makes it: 8-bit sRGB, or with `float_output` linear float32."""
    how = {"size": size, "box": box, "float_output": float_output, "progress": progress, "workers": workers}
    return evaluate_surface(steps, sources, (BASE_COLOR,), **how)[BASE_COLOR]  # type: ignore[arg-type]


def evaluate_surface(
    steps: Sequence[BoundStep],
    sources: Sources,
    wanted: Iterable[str],
    *,
    size: tuple[int, int] | None = None,
    box: Box | None = None,
    float_output: bool = False,
    progress: Progress = no_progress,
    workers: int = 0,
    plan: Plan | None = None,
) -> dict[str, Raster]:
    """Run the steps over the sources for these attributes; what they do not need is neither computed nor read.

    size: (width, height) of the result; a smaller one than the sources' own is evaluated in full and area-averaged in
    linear light, which is what a game's mip chain of the result would show; a larger one samples the sources
    bilinearly.
    box: (left, top, right, bottom) in texels of the working size, to evaluate only there (not together with `size`).
    workers: threads, 0 is one for each core. plan: another than that of the steps' values.
    Returns for each attribute a raster (height, width, channels): color as 8-bit sRGB, data as 8-bit gray, the normal
    as an 8-bit normal map with green up, emissive as linear float32. With `float_output` all are float32 and not
    clamped, color linear, the normal as its two slopes.
    """
    made = _evaluated(
        [steps], [plan or plan_of(steps, wanted)], sources, size=size, box=box, float_output=float_output, progress=progress, workers=workers
    )  # fmt: skip
    return made[0]


class Evaluator:
    """`evaluate_surface` of one recipe with one set of values after another, on few texels: as long as values alone
    change the program is kept, and some that were made for others."""

    def __init__(self, sources: Sources, wanted: Iterable[str]) -> None:
        self._sources, self._wanted = sources.at_size(*sources.size), frozenset(wanted)
        self._kept: list[tuple[Plan, Program]] = []
        self._turn = threading.Lock()

    def __call__(self, steps: Sequence[BoundStep]) -> dict[str, F32]:
        """Every attribute, float32 (height, width, planes): color linear, the normal as its two slopes, not clamped."""
        plan = plan_of(steps, self._wanted)
        width, height = self._sources.size
        outs = {a: np.empty((height, width, ATTRIBUTES[a].planes), np.float32) for a in sorted(self._wanted)}
        with self._turn:
            known = next((k for k in self._kept if k[0] == plan and k[1].follow(steps)), None)
            if known is None:
                attributes, texels = plan.attributes, width * height
                known = plan, Program([steps], [plan], 0, self._sources, [outs], attributes, texels, run_step)
            else:
                self._kept.remove(known)
            self._kept = [known, *self._kept[: _MOST_PROGRAMS - 1]]
            known[1].tile((0, 0, width, height), [outs])
        return outs


def evaluate_surfaces(
    recipes: Sequence[Sequence[BoundStep]], sources: Sources, wanted: Iterable[str], *, size: tuple[int, int] | None = None,
    float_output: bool = False, progress: Progress = no_progress, workers: int = 0,
) -> Iterator[dict[str, Raster]]:  # fmt: skip
    """`evaluate_surface` for recipes that differ in values: what they read, their weights and the steps that they begin
    with alike are made once for as many of them as a part of the memory holds."""
    asked = frozenset(wanted)
    width, height = (max(a, b) for a, b in zip(size or (0, 0), sources.size, strict=True))
    held = sum(4 * width * height * ATTRIBUTES[a].planes for a in asked)
    batch = max(1, _MOST_BATCH_BYTES // max(1, held))
    for first in range(0, len(recipes), batch):
        some = recipes[first : first + batch]
        plans = [plan_of(steps, asked) for steps in some]
        part = part_of(progress, first / len(recipes), len(some) / len(recipes))
        if any(
            (p.attributes, p.starts, p.wanted) != (plans[0].attributes, plans[0].starts, plans[0].wanted) for p in plans
        ):
            for place, (steps, plan) in enumerate(zip(some, plans, strict=True)):
                one = part_of(part, place / len(some), 1 / len(some))
                yield _evaluated(
                    [steps], [plan], sources, size=size, float_output=float_output, progress=one, workers=workers
                )[0]
        else:
            yield from _evaluated(
                some, plans, sources, size=size, float_output=float_output, progress=part, workers=workers
            )


def _evaluated(
    recipes: Sequence[Sequence[BoundStep]], plans: Sequence[Plan], sources: Sources, *, size: tuple[int, int] | None = None,
    box: Box | None = None, float_output: bool = False, progress: Progress = no_progress, workers: int = 0,
) -> list[dict[str, Raster]]:  # fmt: skip
    """The attributes of recipes whose plans have the same ones."""
    plan = plans[0]
    shared = _alike(recipes, plans)
    width, height = sources.size
    if size is not None and (size[0] > width or size[1] > height):
        width, height = max(size[0], width), max(size[1], height)
    working = sources.held_at_size(width, height)
    left, top, right, bottom = box or (0, 0, width, height)
    shrinks = size is not None and size != (width, height)
    made = [
        {
            attribute: np.empty((bottom - top, right - left, *_channels(attribute, float_output=float_output, shrinks=shrinks)),
                                np.float32 if shrinks or float_output or _is_light(attribute) else np.uint8)
            for attribute in sorted(plan.wanted)
        }
        for _ in recipes
    ]  # fmt: skip
    rows = max(1, TILE_TEXELS // max(1, right - left))
    ops = [op for plan in plans for ops in plan.ops for op in ops]
    # What no step writes and no texture says is one line of texels, again and again.
    lines = {}
    for attribute in plan.wanted - {op.writes for op in ops}:
        values = working.constant(attribute)
        if values is not None:
            lines[attribute] = np.tile(_texel(attribute, values, made[0][attribute]), (right - left, 1))
    unread = lines.keys() - {attribute for op in ops for attribute in op.reads}
    stored = [{a: out for a, out in outs.items() if a not in lines} for outs in made]
    # Each thread has a program of its own, with the block that it works on.
    own = threading.local()

    def one_tile(start: int) -> None:
        stop = min(start + rows, bottom)
        if not hasattr(own, "program"):
            own.program = Program(
                recipes, plans, shared, working, stored, plan.attributes - unread, rows * (right - left), run_step
            )
        parts = [{a: out[start - top : stop - top] for a, out in outs.items()} for outs in stored]
        own.program.tile((left, start, right, stop), parts)
        for outs in made:
            for attribute, texels in lines.items():
                outs[attribute][start - top : stop - top] = texels

    run_over(range(top, bottom, rows), one_tile, progress, workers)
    if shrinks and size is not None:
        for outs in made:
            outs |= {a: resize_plane(out, size).reshape(size[1], size[0], out.shape[2]) for a, out in outs.items()}
    return [
        {a: _as_delivered(a, out, float_output=float_output, shrinks=shrinks) for a, out in outs.items()}
        for outs in made
    ]


def _alike(recipes: Sequence[Sequence[BoundStep]], plans: Sequence[Plan]) -> int:
    """How many steps all begin with alike."""
    first, count = recipes[0], len(recipes[0])
    for steps, plan in zip(recipes[1:], plans[1:], strict=True):
        same = (a.is_same(b) and x == y for a, b, x, y in zip(first, steps, plans[0].ops, plan.ops, strict=False))
        count = min(count, next((place for place, equal in enumerate(same) if not equal), min(len(first), len(steps))))
    return count


def _texel(attribute: str, values: Sequence[float], out: NDArray) -> NDArray:
    """One texel of an attribute's values as `out` stores them: (1, channels)."""
    if ATTRIBUTES[attribute].holds is Holds.SLOPES and out.shape[-1] == 3:
        texel = np.array([0, 0, 1]) if out.dtype == np.float32 else np.array([0.5, 0.5, 1])
    else:
        texel = np.array(values)
    if out.dtype == np.float32:
        return texel[None].astype(np.float32)
    if ATTRIBUTES[attribute].holds is Holds.COLOR:
        return encode_srgb_8bit(texel[None])
    return np.asarray(quantize(texel[None], np.dtype(np.uint8)))


def _is_light(attribute: str) -> bool:
    return ATTRIBUTES[attribute].holds is Holds.LIGHT


def _channels(attribute: str, *, float_output: bool, shrinks: bool) -> tuple[int]:
    """How many channels are stored: slopes are averaged and delivered as vectors."""
    described = ATTRIBUTES[attribute]
    return (3 if described.holds is Holds.SLOPES and (shrinks or not float_output) else described.planes,)


def _as_delivered(attribute: str, out: NDArray, *, float_output: bool, shrinks: bool) -> Raster:
    holds = ATTRIBUTES[attribute].holds
    is_color = holds in (Holds.COLOR, Holds.LIGHT)
    if out.dtype == np.uint8:
        return Raster(out, Encoding.SRGB if is_color else Encoding.DATA)
    if holds is Holds.SLOPES and shrinks:
        if float_output:
            z = np.maximum(out[..., 2:], np.float32(STEEPEST))
            return Raster(np.ascontiguousarray(out[..., :2] / z), Encoding.DATA)
        length = np.maximum(np.linalg.norm(out, axis=-1, keepdims=True), 1e-6)
        return Raster(quantize(out / length * 0.5 + 0.5, np.dtype(np.uint8)), Encoding.DATA)
    if float_output or holds is Holds.LIGHT:
        return Raster(out, Encoding.LINEAR if is_color else Encoding.DATA)
    if is_color:
        return Raster(encode_srgb_8bit(out), Encoding.SRGB)
    return Raster(quantize(out, np.dtype(np.uint8)), Encoding.DATA)


def trace(
    steps: Sequence[BoundStep], sources: Sources, x: int, y: int, wanted: Iterable[str] = (BASE_COLOR,)
) -> list[dict[str, F32]]:
    """The attributes of one texel at the start and after every step, switched-off steps included: float32 (planes,)."""
    frames = stages(steps, sources, wanted, (x, y, x + 1, y + 1))
    return [
        {a: np.array([plane[0] for plane in planes], np.float32) for a, planes in frame.items()} for frame in frames
    ]


def stages(
    steps: Sequence[BoundStep], sources: Sources, wanted: Iterable[str], box: Box
) -> Iterator[dict[str, Planes]]:
    """The planes of a box at the start and after every step, switched-off steps included; each is valid until the next,
    and nothing else is evaluated on this thread in between."""
    plan = whole_plan(steps, wanted)
    reads, weights = TileReads(sources, box), TileWeights(sources.coverages, sources.divisions, box)
    planes = {attribute: reads.start(attribute) for attribute in plan.attributes}
    yield {attribute: planes[attribute] for attribute in plan.wanted}
    for index, step in enumerate(steps):
        ops = tuple(op for op in step.kind.ops if step.is_active(op))
        if ops:
            run_step(step, ops, plan.maps_of(index, step.kind), planes, weights, reads)
        yield {attribute: planes[attribute] for attribute in plan.wanted}


def weight_at(step: BoundStep, sources: Sources, x: int, y: int) -> float:
    """How much of a step there is at a texel: the sum of its rows' weights times its amount, 0..1."""
    return float(weight_planes(step, sources, (x, y, x + 1, y + 1))[0, 0])


def weight_planes(step: BoundStep, sources: Sources, box: Box | None = None) -> F32:
    """How much of a step there is at each texel of a box (the whole by default), 0..1, float32 (height, width)."""
    box = box or (0, 0, *sources.size)
    reads, weights = TileReads(sources, box), TileWeights(sources.coverages, sources.divisions, box)
    plan = whole_plan([step], tuple({op.writes for op in step.kind.ops}))
    found = weigh_rows(step, plan.maps_of(0, step.kind), weights, reads)
    shape = box[3] - box[1], box[2] - box[0]
    return np.minimum(found.weights.sum(0), 1).reshape(shape) if found.rows else np.zeros(shape, np.float32)


@dataclass(frozen=True)
class Weighed:
    """The rows of a step that have a texel in a tile, their weights, float32 (rows, texels), and what they read."""

    rows: list[int]
    weights: F32
    reads: Sequence[Mapping[str, Planes]]


def weigh_rows(step: BoundStep, maps: Sequence[str], weights: TileWeights, reads: TileReads) -> Weighed:
    """The weights of a step's rows in a tile: coverage, amounts and the step's own mask. maps: keys of what to read."""
    found = weights.of(step)
    rows, planes = found.rows, found.weights
    read = [reads.of(step, step.rows[k], maps) for k in rows]
    weigh = step.kind.weigh
    if weigh is None or not rows:
        return Weighed(rows, planes, read)
    made = np.empty_like(planes)
    for line, (k, row_reads) in enumerate(zip(rows, read, strict=True)):
        np.multiply(planes[line], weigh.kernel(step.rows[k].values, row_reads), out=made[line])
    # No weight is below 0; the largest is found five times as fast as any.
    kept = [line for line in range(len(rows)) if made[line].max(initial=0) > 0]
    if len(kept) == len(rows):
        return Weighed(rows, made, read)
    return Weighed([rows[line] for line in kept], np.ascontiguousarray(made[kept]), [read[line] for line in kept])


def run_step(
    step: BoundStep,
    ops: Sequence[Op],
    maps: Sequence[str],
    planes: dict[str, Planes],
    weights: TileWeights,
    reads: TileReads,
) -> None:
    """Run operations of a step over whole planes; all of them see what was there before it."""
    found = weigh_rows(step, maps, weights, reads)
    if not found.rows:
        return
    rows = [step.rows[k] for k in found.rows]
    seen = {a: planes[a] for op in ops for a in op.reads}
    for place, op in enumerate(ops):
        if any(op.writes in later.reads for later in ops[place + 1 :]):
            seen[op.writes] = tuple(plane.copy() for plane in planes[op.writes])
    matrices = step.matrices
    shared: NDArray[np.int64] | None = None
    for op in ops:
        target = planes[op.writes]
        if op.affine is not None and matrices is not None and not op.scale:
            r, g, b = target
            apply_affine((r, g, b), found.weights, matrices[found.rows])
            continue
        amounts = [float(row.values[op.scale]) if op.scale else 1.0 for row in rows]
        if op.together is not None and op.together(target, found.weights, [row.values for row in rows], amounts):
            continue
        if shared is None:
            shared = np.flatnonzero((found.weights > 0).sum(0) > 1) if len(rows) > 1 else np.empty(0, np.int64)
        inner = [{**row_reads, **seen} for row_reads in found.reads]
        _run_rows(op, rows, amounts, target, found.weights, inner, shared)


def _run_rows(
    op: Op,
    rows: list[BoundRow],
    amounts: list[float],
    planes: Planes,
    weights: F32,
    reads: list[dict[str, Planes]],
    shared: NDArray[np.int64],
) -> None:
    """Run every row's operation on what was there before the step.

    Where at most one row has a weight, one after the other is the same as all at once; the few texels that rows share
    are done apart.
    """
    before = [plane[shared] for plane in planes]
    assert op.kernel is not None, "an operation works on a row, or on all of them"
    for row, weight, amount, read in zip(rows, weights, amounts, reads, strict=True):
        if amount:
            op.kernel(planes, weight, amount, row.values, read)
    if not len(shared):
        return
    after = [plane.copy() for plane in before]
    for row, weight, amount, read in zip(rows, weights, amounts, reads, strict=True):
        here = {key: tuple(plane[shared] for plane in held) for key, held in read.items()}
        worked = tuple(plane.copy() for plane in before)
        op.kernel(worked, np.ascontiguousarray(weight[shared]), amount, row.values, here)
        for total, changed, was in zip(after, worked, before, strict=True):
            total += changed - was
    for plane, total in zip(planes, after, strict=True):
        plane[shared] = total
