"""The reach of a parameter: which texels change when it moves, by how much; and when nothing changes, why."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.placement import Placement
from evenpalette.core.project.small_surface import (
    as_seen,
    small_sources,
    small_surface,
    wanted_attributes,
)
from evenpalette.core.project.state import State
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.recipe.binding import BoundStep, Moment, bind_recipe
from evenpalette.core.recipe.evaluate import weigh_rows
from evenpalette.core.recipe.model import Row, Step
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.plan import whole_plan
from evenpalette.core.recipe.sources import Sources, TileReads
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.recipe.weights import TileWeights
from evenpalette.core.values import Value, ValueType, vector_text

#: Texels a side on which reach is looked at.
SIDE = 192
#: A change of less than half a code of 8 bits is none.
LEAST = 0.5 / 255


@dataclass(frozen=True)
class Reason:
    """Why a parameter changes nothing in one of the places where it is used. step, region: what to go to, '' for none."""

    text: str
    step: str = ""
    region: str = ""


@dataclass(frozen=True)
class Reach:
    """change: the largest change of any attribute, float32 (height, width), 0..1, color by its encoded values. share:
    which part of the used surface changes; by_region: which part of each region; strongest: the largest change.

    reasons: where nothing changes, why, for every place where it is used.
    """

    change: F32
    share: float
    by_region: dict[str, float]
    strongest: float
    reasons: tuple[Reason, ...] = field(default=())

    def words(self, state: State) -> str:
        """In a sentence."""
        if self.reasons:
            return "Nothing changes: " + " ".join(reason.text for reason in self.reasons[:3])
        names = [
            f"{region.name} {self.by_region[region.id]:.0%}" for region in state.project.regions.regions
            if self.by_region.get(region.id, 0) >= 0.005
        ]  # fmt: skip
        return f"Reaches {self.share:.0%} of the surface, by up to {self.strongest * 255:.0f} codes: {', '.join(names[:6]) or 'no region'}."


def reach_of(state: State, parameter_id: str, variant: str | None = None, side: int = SIDE) -> Reach:
    """What a parameter reaches in a variant (None: the defaults), on the active sheet. Raises EvenPaletteError."""
    parameter = state.project.recipe.parameter(parameter_id)
    if parameter is None:
        raise EvenPaletteError("That parameter is no longer in the project.")
    values = state.values(variant)
    others = _others(parameter, values[parameter_id])
    small, used = small_sources(state, side)
    change, _ = _change(state, small, values, parameter, others)
    seen = used if used.any() else np.ones_like(used)
    reaches = (change > LEAST) & seen
    by_region = {}
    for region_id, coverage in zip(state.region_ids, small.coverages, strict=True):
        inside = seen & (coverage >= 128)
        by_region[region_id] = float(reaches[inside].mean()) if inside.any() else 0.0
    share, strongest = float(reaches.sum() / seen.sum()), float(change[seen].max())
    reasons = () if reaches.any() else tuple(_reasons(state, small, values, parameter, others, seen))
    return Reach(change, share, by_region, strongest, reasons)


def unseen(state: State, variants: Sequence[str | None], side: int = 64) -> list[str]:
    """The parameters that steps of the active sheet follow and that change nothing, in none of these variants.

    Far cheaper than the reach of each: it ends with the first texel that changes.
    """
    small, used = small_sources(state, side)
    seen = used if used.any() else np.ones_like(used)
    wanted = wanted_attributes(state)
    left = {p.id: p for p in state.project.recipe.parameters if state.project.recipe.users(p.id)}
    for variant in variants:
        if not left:
            break
        values = state.values(variant)
        for seconds in _times(state):
            now = small_surface(_bound(state, values, None, seconds), small, wanted)
            for parameter in list(left.values()):
                for other in _others(parameter, values[parameter.id]):
                    made = small_surface(_bound(state, {**values, parameter.id: other}, None, seconds), small, wanted)
                    if any((np.abs(as_seen(key, made[key]) - as_seen(key, now[key])).max(-1)[seen] > LEAST).any() for key in wanted):
                        del left[parameter.id]
                        break
    return list(left)


def reach_picture(reach: Reach) -> Raster:
    """The change as a picture: dark where there is none, lighter the more there is, on a scale that shows little ones."""
    share = np.clip(reach.change / max(reach.strongest, LEAST), 0, 1) ** np.float32(0.5)
    codes = np.stack([30 + 200 * share, 30 + 170 * share, 34 + 60 * share], -1)
    codes[reach.change <= LEAST] = (30, 30, 34)
    return Raster(np.rint(codes).astype(np.uint8), Encoding.SRGB)


def _others(parameter: Parameter, now: Value) -> list[Value]:
    """Values that a parameter may take and that differ from the present one as much as any."""
    if parameter.type is ValueType.COLOR:
        found: list[Value] = ["#000000", "#ffffff", "#ff0000", "#0000ff"]
    elif parameter.type in (ValueType.NUMBER, ValueType.INTEGER):
        found = [parameter.low, parameter.high, (parameter.low + parameter.high) / 2]
    elif parameter.type is ValueType.SWITCH:
        found = [not now]
    elif parameter.type is ValueType.CHOICE:
        found = list(parameter.choices[:8])
    elif parameter.type is ValueType.TEXTURE:
        found = list(parameter.choices)
    elif parameter.type is ValueType.VECTOR:
        count = len(parameter.choices)
        found = [vector_text([end] * count) for end in (parameter.low, parameter.high)]
    elif parameter.type is ValueType.PLACEMENT:
        here = Placement.parse(str(now))
        found = [str(replace(here, offset=(here.offset[0] + 0.37, here.offset[1] + 0.21))), str(replace(here, turn=here.turn + 0.13))]
    else:
        found = [""]
    return [value for value in (parameter.accept(v) for v in found) if value != now]


def _bound(state: State, values: dict[str, Value], steps: tuple[Step, ...] | None = None, seconds: float = 0.0) -> list[BoundStep]:
    recipe = state.project.recipe if steps is None else state.project.recipe.model_copy(update={"steps": steps})
    return bind_recipe(recipe, state.region_ids, values, Moment(seconds=seconds))


def _times(state: State) -> list[float]:
    """The seconds at which is looked: what pulses is on at one of them."""
    periods = {b.pulse.period for step in state.project.recipe.steps for b in step.bindings if b.pulse is not None}
    return [0.0, *(period * share for period in sorted(periods)[:2] for share in (0.31, 0.5))]


def _change(
    state: State, small: Sources, values: dict[str, Value], parameter: Parameter, others: Sequence[Value], steps: tuple[Step, ...] | None = None
) -> tuple[F32, F32]:
    """The largest change of what is seen, and of what is computed before anything is cut off, (height, width) each."""
    wanted = wanted_attributes(state)
    seen = np.zeros(small.size[::-1], np.float32)
    raw = seen.copy()
    for seconds in _times(state):
        now = small_surface(_bound(state, values, steps, seconds), small, wanted)
        for other in others:
            made = small_surface(_bound(state, {**values, parameter.id: other}, steps, seconds), small, wanted)
            for key in wanted:
                np.maximum(seen, np.abs(as_seen(key, made[key]) - as_seen(key, now[key])).max(-1), out=seen)
                np.maximum(raw, np.abs(made[key] - now[key]).max(-1), out=raw)
    return seen, raw


def _reasons(
    state: State, small: Sources, values: dict[str, Value], parameter: Parameter, others: Sequence[Value], seen: NDArray[np.bool_]
) -> list[Reason]:
    recipe = state.project.recipe
    found: list[Reason] = []
    if not others:
        return [Reason("It has no other value to take.")]
    for place, step in enumerate(recipe.steps):
        if _follows(step.amount, parameter) or any(_follows(b, parameter) for b in step.inputs.values()):
            rows: Sequence[Row] = step.rows
        else:
            rows = [row for row in step.rows if _follows(row.amount, parameter) or any(_follows(b, parameter) for b in row.inputs.values())]
        if rows:
            found.append(_reason(state, small, values, parameter, others, seen, place, step, rows))
    if not found:
        elsewhere = [s.name for s in state.project.sheets if s.id != state.project.sheet.id and parameter.id in s.model_dump_json()]
        found.append(Reason(f"It is used on {elsewhere[0]}, not on this sheet." if elsewhere else "No step uses it."))
    return list(dict.fromkeys(found))


def _follows(binding: object, parameter: Parameter) -> bool:
    return getattr(binding, "parameter", None) == parameter.id


def _reason(
    state: State, small: Sources, values: dict[str, Value], parameter: Parameter, others: Sequence[Value], seen: NDArray[np.bool_],
    place: int, step: Step, rows: Sequence[Row],
) -> Reason:  # fmt: skip
    """Why these rows of a step change nothing, the first cause that holds."""
    regions = state.project.regions
    if not step.enabled:
        return Reason(f"{step.name} is switched off.", step.id)
    if step.kind not in KINDS:
        return Reason(f"{step.name} is of a kind that is not known.", step.id)
    bound = max((_bound(state, values, seconds=seconds)[place] for seconds in _times(state)), key=lambda b: b.amount)
    chosen = [k for k, row in enumerate(step.rows) if any(row.id == other.id for other in rows)]
    if bound.amount == 0 and not _follows(step.amount, parameter):
        return Reason(f"The amount of {step.name} is 0.", step.id)
    live = [k for k in chosen if bound.rows[k].amount > 0 or _follows(step.rows[k].amount, parameter)]
    if not live:
        return Reason(f"The amount of its row in {step.name} is 0.", step.id)
    named = [r for k in live for r in (step.rows[k].regions or ())]
    whole = any(step.rows[k].regions is None for k in live)
    if not whole and not named:
        return Reason(f"Its row in {step.name} takes no region.", step.id)
    planes = dict(zip(state.region_ids, small.coverages, strict=True))
    if not whole and not any((planes[r][seen] > 1).any() for r in named if r in planes):
        first = regions.find(named[0])
        return Reason(f"{first.name if first is not None else 'Its region'} covers no texel that is seen.", step.id, named[0])
    weight = _weights(bound, small, live)
    if weight is not None and not (weight[seen] > LEAST).any():
        return Reason(f"The mask of {step.name} is black wherever its regions are.", step.id)
    steps = state.project.recipe.steps
    change, raw = _change(state, small, values, parameter, others, steps[: place + 1])
    if not (change[seen] > LEAST).any():
        if (raw[seen] > LEAST).any():
            return Reason(f"What {step.name} changes is cut off: it is beyond black or white already.", step.id)
        before = small_surface(_bound(state, values, steps[:place]), small, (BASE_COLOR,))[BASE_COLOR]
        reached = seen & (weight > LEAST) if weight is not None else seen
        if reached.any() and float(before[reached].max()) < 2e-3 and any(op.writes == BASE_COLOR for op in KINDS[step.kind].ops):
            return Reason(f"{step.name} multiplies black: there is nothing to color below it.", step.id)
        return Reason(f"With the other values of {step.name} it makes no difference.", step.id)
    for later in range(place + 1, len(steps)):
        change, raw = _change(state, small, values, parameter, others, steps[: later + 1])
        if not (change[seen] > LEAST).any():
            if (raw[seen] > LEAST).any():
                return Reason(f"{steps[later].name} pushes it beyond black or white, where it is cut off.", steps[later].id)
            return Reason(f"{steps[later].name} covers it.", steps[later].id)
    return Reason("Nothing of it is left at the end.", step.id)


def _weights(bound: BoundStep, small: Sources, rows: Sequence[int]) -> F32 | None:
    """The largest weight of these rows, (height, width); None where it cannot be told."""
    if bound.amount == 0 or any(bound.rows[k].amount == 0 for k in rows):
        return None
    width, height = small.size
    box = (0, 0, width, height)
    reads, weights = TileReads(small, box), TileWeights(small.coverages, small.divisions, box)
    plan = whole_plan([bound], tuple({op.writes for op in bound.kind.ops}))
    found = weigh_rows(bound, plan.maps_of(0, bound.kind), weights, reads)
    held = [plane for row, plane in zip(found.rows, found.weights, strict=True) if row in rows]
    return np.max(held, 0).reshape(height, width) if held else np.zeros((height, width), np.float32)
