"""Running a recipe on the CPU: the reference that writes every delivered texel.

Tiles stay in the cache through all steps; worker threads take tiles; kernels release the GIL.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence, Set
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import BLOCK, F32, encode_codes, encode_srgb_8bit
from evenpalette.core.kernels import njit
from evenpalette.core.parallel import Progress, no_progress, part_of, run_over
from evenpalette.core.raster.box import Box
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.raster.reading import resize_plane
from evenpalette.core.recipe.affine import Pending, apply_affine
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, STEEPEST, Holds
from evenpalette.core.recipe.binding import BoundRow, BoundStep
from evenpalette.core.recipe.kind import Op, Planes
from evenpalette.core.recipe.plan import Plan, plan_of, whole_plan
from evenpalette.core.recipe.sources import Sources, TileReads
from evenpalette.core.recipe.toward import toward_all
from evenpalette.core.recipe.weights import TileWeights

#: Large enough that taking turns at the interpreter lock between kernels costs little: with two threads 256k texels
#: measured a fifth faster than 64k, which fit the nearest caches better.
TILE_TEXELS = 262144


#: Pictures of recipes that are evaluated together may take so much.
_MOST_BATCH_BYTES = 256 << 20


@njit(nogil=True, cache=True)
def _store_srgb8(r, g, b, out):  # type: ignore[no-untyped-def]
    """out: uint8 (3 n), texel by texel."""
    x, y, z = np.empty(BLOCK, np.int32), np.empty(BLOCK, np.int32), np.empty(BLOCK, np.int32)
    for start in range(0, r.size, BLOCK):
        n = min(BLOCK, r.size - start)
        encode_codes(r[start : start + n], x)
        encode_codes(g[start : start + n], y)
        encode_codes(b[start : start + n], z)
        texels = out[3 * start : 3 * (start + n)]
        for i in range(n):
            texels[3 * i], texels[3 * i + 1], texels[3 * i + 2] = np.uint8(x[i]), np.uint8(y[i]), np.uint8(z[i])


@njit(nogil=True, cache=True)
def _store_three(x, y, z, out):  # type: ignore[no-untyped-def]
    """out: float32 (3 n), texel by texel."""
    for i in range(x.size):
        out[3 * i], out[3 * i + 1], out[3 * i + 2] = x[i], y[i], z[i]


@njit(nogil=True, cache=True, fastmath=True)
def _store_data8(plane, out):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        out[i, 0] = np.uint8(min(max(plane[i], np.float32(0)), np.float32(1)) * np.float32(255) + np.float32(0.5))


@njit(nogil=True, cache=True, fastmath=True)
def _store_slopes8(x, y, out):  # type: ignore[no-untyped-def]
    half = np.float32(127.5)
    for i in range(x.size):
        length = half / np.sqrt(x[i] * x[i] + y[i] * y[i] + np.float32(1))
        out[i, 0] = np.uint8(x[i] * length + half + np.float32(0.5))
        out[i, 1] = np.uint8(y[i] * length + half + np.float32(0.5))
        out[i, 2] = np.uint8(length + half + np.float32(0.5))


def _store(attribute: str, planes: Planes, out: NDArray) -> None:
    """Put a tile's planes into texels (n, channels): encoded as they are delivered for uint8, as they are for
    float32."""
    if out.dtype == np.float32:
        stored = _unit_vectors(planes) if out.shape[1] > len(planes) else planes
        if len(stored) == 3:
            _store_three(*stored, out.reshape(-1))
        else:
            for column, plane in enumerate(stored):
                out[:, column] = plane
    elif ATTRIBUTES[attribute].holds is Holds.COLOR:
        r, g, b = planes
        _store_srgb8(r, g, b, out.reshape(-1))
    elif ATTRIBUTES[attribute].holds is Holds.SLOPES:
        _store_slopes8(*planes, out)
    else:
        for column, plane in enumerate(planes):
            _store_data8(plane, out[:, column : column + 1])


def _unit_vectors(slopes: Planes) -> Planes:
    """(x, y, 1) made unit, -1..1."""
    x, y = slopes
    length = 1 / np.sqrt(x * x + y * y + 1)
    return x * length, y * length, length


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
        if values is None:
            continue
        texel = np.empty((1, made[0][attribute].shape[2]), made[0][attribute].dtype)
        _store(attribute, tuple(np.full(1, value, np.float32) for value in values), texel)
        lines[attribute] = np.tile(texel, (right - left, 1))
    unread = lines.keys() - {attribute for op in ops for attribute in op.reads}

    def one_tile(start: int) -> None:
        stop = min(start + rows, bottom)
        for planes, outs in zip(
            _run_tile(recipes, plans, shared, working, (left, start, right, stop), unread), made, strict=True
        ):
            for attribute, out in outs.items():
                part = out[start - top : stop - top]
                if attribute in lines:
                    part[...] = lines[attribute]
                else:
                    _store(attribute, planes[attribute], part.reshape(-1, out.shape[2]))

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
            _run_step(step, ops, plan.maps_of(index, step.kind), planes, weights, reads)
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


def _run_tile(
    recipes: Sequence[Sequence[BoundStep]], plans: Sequence[Plan], shared: int, sources: Sources, box: Box,
    unread: Set[str],
) -> Iterator[dict[str, Planes]]:  # fmt: skip
    """The planes of a tile for one recipe after another, each valid until the next; shared: steps that begin all of
    them; unread: attributes that are not needed."""
    reads, weights = TileReads(sources, box), TileWeights(sources.coverages, sources.divisions, box)
    plan = plans[0]
    planes = {attribute: reads.start(attribute) for attribute in plan.starts - unread}
    for attribute in plan.attributes - plan.starts - unread:
        # Something replaces it everywhere before anybody looks.
        planes[attribute] = tuple(np.zeros(reads.texels, np.float32) for _ in ATTRIBUTES[attribute].neutral)

    def run(steps: Sequence[BoundStep], plan: Plan, begin: int, end: int) -> None:
        pending = Pending()
        for index in range(begin, end):
            step, ops = steps[index], plan.ops[index]
            matrices = step.matrices if len(ops) == 1 and step.kind.weigh is None else None
            if matrices is not None and ops[0].affine is not None and not ops[0].scale:
                found = weights.of(step)
                if found.rows:
                    r, g, b = planes[ops[0].writes]
                    pending.add((r, g, b), found.weights, matrices[found.rows])
            elif ops:
                pending.flush(planes.get(BASE_COLOR))
                _run_step(step, ops, plan.maps_of(index, step.kind), planes, weights, reads)
        pending.flush(planes.get(BASE_COLOR))

    run(recipes[0], plan, 0, shared)
    kept = (
        {attribute: [plane.copy() for plane in held] for attribute, held in planes.items()} if len(recipes) > 1 else {}
    )
    for place, (steps, own) in enumerate(zip(recipes, plans, strict=True)):
        for attribute, held in kept.items() if place else ():
            for plane, before in zip(planes[attribute], held, strict=True):
                plane[:] = before
        run(steps, own, shared, len(steps))
        yield planes


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


def _run_step(
    step: BoundStep,
    ops: Sequence[Op],
    maps: Sequence[str],
    planes: dict[str, Planes],
    weights: TileWeights,
    reads: TileReads,
) -> None:
    """Run operations of a step; all of them see what was there before it."""
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
        if op.sets and len(rows) > 1:
            amounts = np.array([float(row.values[op.scale]) if op.scale else 1.0 for row in rows], np.float32)
            numbers = [np.broadcast_to(np.asarray(row.values[op.sets], np.float32), len(target)) for row in rows]
            toward_all(target, found.weights, amounts, np.ascontiguousarray(np.stack(numbers, 1)))
            continue
        values = [row.values for row in rows]
        if op.together is not None and len(rows) > 1 and op.together(target, found.weights, values):
            continue
        if shared is None:
            shared = np.flatnonzero((found.weights > 0).sum(0) > 1) if len(rows) > 1 else np.empty(0, np.int64)
        inner = [{**row_reads, **seen} for row_reads in found.reads]
        _run_rows(op, rows, target, found.weights, inner, shared)


def _run_rows(
    op: Op,
    rows: list[BoundRow],
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
    amounts = [float(row.values[op.scale]) if op.scale else 1.0 for row in rows]
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
