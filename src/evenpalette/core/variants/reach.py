"""The reach of a parameter: which texels change when it moves, by how much; and when nothing changes, why."""

from collections.abc import Iterator, Sequence
from dataclasses import field
from functools import partial
from itertools import islice, product

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.recipe.binding import Binder, BoundStep, Moment
from evenpalette.core.recipe.evaluate import weigh_rows
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.plan import whole_plan
from evenpalette.core.recipe.recipe import Row, Step
from evenpalette.core.recipe.sources import Sources, TileReads
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.recipe.weights import TileWeights
from evenpalette.core.values import Value
from evenpalette.core.variants.small_surface import (
    Sight,
    as_seen,
    small_stages,
    small_surfaces,
    wanted_attributes,
)

#: Texels a side on which reach is looked at.
SIDE = 192
#: A change of less than half a code of 8 bits is none.
LEAST = 0.5 / 255
#: Texels a side on which most parameters already show that they act, and how much of one the model uses at least: what
#: lies beside islands is not seen.
_FEW, _WHOLLY = 48, 0.9


@dataclass(frozen=True)
class Reason:
    """Why a parameter changes nothing in one of the places where it is used. step, region: what to go to, '' for
    none."""

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

    @property
    def nbytes(self) -> int:
        """What it takes in memory."""
        return self.change.nbytes

    def short_words(self) -> tuple[str, ...]:
        """In fewer words, and in fewest."""
        if self.reasons:
            return (f"Nothing changes: {self.reasons[0].text}", "Nothing changes")
        return (f"Reaches {self.share:.0%}, by up to {self.strongest * 255:.0f} codes", f"Reaches {self.share:.0%}")

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
    """What a parameter reaches in a variant (None: the defaults), on the state's sheet. Raises EvenPaletteError."""
    parameter = state.project.recipe.parameter(parameter_id)
    if parameter is None:
        raise EvenPaletteError("That parameter is no longer in the project.")
    values = state.values(variant)
    others = parameter.input.others(values[parameter_id])
    sight = Sight(state, side)
    return sight.remembered(("reach", parameter_id), values, lambda: _reach(state, sight, values, parameter, others))


def _reach(
    state: State, sight: Sight, values: dict[str, Value], parameter: Parameter, others: Sequence[Value]
) -> Reach:
    small, seen, bind = sight.small, sight.used, sight.bind
    change = _change(state, bind, small, values, parameter, others)
    reaches = (change > LEAST) & seen
    by_region = {}
    for region_id, coverage in zip(state.region_ids, small.coverages, strict=True):
        inside = seen & (coverage >= 128)
        by_region[region_id] = float(reaches[inside].mean()) if inside.any() else 0.0
    share, strongest = float(reaches.sum() / seen.sum()), float(change[seen].max())
    reasons = () if reaches.any() else tuple(_reasons(state, bind, small, values, parameter, others, seen))
    return Reach(change, share, by_region, strongest, reasons)


def unseen(state: State, variants: Sequence[str | None], side: int = 64) -> list[str]:
    """The parameters that steps of the state's sheet follow and that change nothing, in none of these variants.

    Far cheaper than the reach of each: it ends with the first texel that changes, and most change one of the few that
    are looked at first.
    """
    left = {p.id: p for p in state.project.recipe.parameters if state.project.recipe.users(p.id)}
    moments = [Moment(seconds=seconds) for seconds in _times(state)]
    for sight in _sights(state, side) if left else ():
        for variant, at in product(variants, moments):
            values, asked = state.values(variant), tuple(left.values())
            what = ("acting", at, tuple(left))
            for key in sight.remembered(what, values, partial(_acting, sight, values, asked, at)):
                del left[key]
            if not left:
                return []
    return list(left)


def _sights(state: State, side: int) -> Iterator[Sight]:
    """On few texels, where the model uses any of them wholly; then on all."""
    few = Sight(state, _FEW, _WHOLLY)
    if few.has_used:
        yield few
    yield Sight(state, side)


def _acting(sight: Sight, values: dict[str, Value], parameters: Sequence[Parameter], at: Moment) -> list[str]:
    """The parameters that change something at a moment."""
    seen = sight.used
    first, before, found = sight.seen(values, at), sight.surface(values, at), []
    for parameter in parameters:
        # One after the other: most act with the first.
        for other in parameter.input.others(values[parameter.id]):
            made = sight.surface({**values, parameter.id: other}, at)
            # Most attributes are as they were, bit by bit.
            moved = [key for key in sight.wanted if not np.array_equal(made[key], before[key])]
            if any(np.abs(as_seen(key, made[key]) - first[key])[seen].max() > LEAST for key in moved):
                found.append(parameter.id)
                break
    return found


def reach_picture(reach: Reach) -> Raster:
    """The change as a picture: dark where there is none, lighter the more there is, on a scale that shows little
    ones."""
    share = np.clip(reach.change / max(reach.strongest, LEAST), 0, 1) ** np.float32(0.5)
    codes = np.stack([30 + 200 * share, 30 + 170 * share, 34 + 60 * share], -1)
    codes[reach.change <= LEAST] = (30, 30, 34)
    return Raster(np.rint(codes).astype(np.uint8), Encoding.SRGB)


def _times(state: State) -> list[float]:
    """The seconds at which is looked: what pulses is on at one of them."""
    periods = {b.pulse.period for step in state.project.recipe.steps for b in step.bindings if b.pulse is not None}
    return [0.0, *(period * share for period in sorted(periods)[:2] for share in (0.31, 0.5))]


def _change(
    state: State, bind: Binder, small: Sources, values: dict[str, Value], parameter: Parameter, others: Sequence[Value]
) -> F32:
    """The largest change of what is seen at the end, (height, width)."""
    wanted = wanted_attributes(state)
    seen = np.zeros(small.size[::-1], np.float32)
    for seconds in _times(state):
        at = Moment(seconds=seconds)
        recipes = [bind({**values, parameter.id: value}, at) for value in (values[parameter.id], *others)]
        pictures = (
            {key: as_seen(key, picture) for key, picture in made.items()}
            for made in small_surfaces(recipes, small, wanted)
        )
        now = next(pictures)
        for made in pictures:
            for key in wanted:
                np.maximum(seen, np.abs(made[key] - now[key]).max(-1), out=seen)
    return seen


@dataclass(frozen=True)
class _Changes:
    """The largest change after a step: of what is seen, and of what is computed before anything is cut off,
    (texels,)."""

    seen: F32
    raw: F32


def _changes_from(
    state: State, bind: Binder, small: Sources, values: dict[str, Value], parameter: Parameter, others: Sequence[Value], place: int
) -> tuple[F32, list[_Changes]]:  # fmt: skip
    """The base color before a step, (3, texels), and what a parameter's other values change after it and after each
    that follows."""
    wanted = wanted_attributes(state)
    texels = small.size[0] * small.size[1]
    before: F32 = np.zeros((3, texels), np.float32)
    count = len(state.project.recipe.steps) - place
    found = [_Changes(np.zeros(texels, np.float32), np.zeros(texels, np.float32)) for _ in range(count)]
    for seconds in _times(state):
        at = Moment(seconds=seconds)
        frames = list(islice(small_stages(bind(values, at), small, wanted), place, None))
        before = frames[0][BASE_COLOR] if seconds == 0 else before
        for other in others:
            made = islice(small_stages(bind({**values, parameter.id: other}, at), small, wanted), place + 1, None)
            for change, then, now in zip(found, made, frames[1:], strict=True):
                for key in wanted:
                    raw = np.abs(then[key] - now[key])
                    if raw.max() > 0:
                        visible = np.abs(as_seen(key, then[key]) - as_seen(key, now[key]))
                        for plane, shown in zip(raw, visible, strict=True):
                            np.maximum(change.raw, plane, out=change.raw)
                            np.maximum(change.seen, shown, out=change.seen)
    return before, found


def _reasons(
    state: State,
    bind: Binder,
    small: Sources,
    values: dict[str, Value],
    parameter: Parameter,
    others: Sequence[Value],
    seen: NDArray[np.bool_],
) -> list[Reason]:
    recipe = state.project.recipe
    found: list[Reason] = []
    if not others:
        return [Reason("It has no other value to take.")]
    for place, step in enumerate(recipe.steps):
        if _follows(step.amount, parameter) or any(_follows(b, parameter) for b in step.inputs.values()):
            rows: Sequence[Row] = step.rows
        else:
            rows = [
                row
                for row in step.rows
                if _follows(row.amount, parameter) or any(_follows(b, parameter) for b in row.inputs.values())
            ]
        if rows:
            found.append(_reason(state, bind, small, values, parameter, others, seen, place, step, rows))
    if not found:
        elsewhere = [
            s.name for s in state.project.sheets if s.id != state.sheet.id and parameter.id in s.model_dump_json()
        ]
        found.append(Reason(f"It is used on {elsewhere[0]}, not on this sheet." if elsewhere else "No step uses it."))
    return list(dict.fromkeys(found))


def _follows(binding: object, parameter: Parameter) -> bool:
    return getattr(binding, "parameter", None) == parameter.id


def _reason(
    state: State, bind: Binder, small: Sources, values: dict[str, Value], parameter: Parameter, others: Sequence[Value], seen: NDArray[np.bool_],
    place: int, step: Step, rows: Sequence[Row],
) -> Reason:  # fmt: skip
    """Why these rows of a step change nothing, the first cause that holds."""
    regions = state.project.regions
    if not step.enabled:
        return Reason(f"{step.name} is switched off.", step.id)
    if step.kind not in KINDS:
        return Reason(f"{step.name} is of a kind that is not known.", step.id)
    bound = max((bind(values, Moment(seconds=seconds))[place] for seconds in _times(state)), key=lambda b: b.amount)
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
        return Reason(
            f"{first.name if first is not None else 'Its region'} covers no texel that is seen.", step.id, named[0]
        )
    weight = _weights(bound, small, live)
    if weight is not None and not (weight[seen] > LEAST).any():
        return Reason(f"The mask of {step.name} is black wherever its regions are.", step.id)
    steps = state.project.recipe.steps
    before, changes = _changes_from(state, bind, small, values, parameter, others, place)
    here = seen.reshape(-1)
    if not (changes[0].seen[here] > LEAST).any():
        if (changes[0].raw[here] > LEAST).any():
            return Reason(f"What {step.name} changes is cut off: it is beyond black or white already.", step.id)
        reached = seen & (weight > LEAST) if weight is not None else seen
        if (
            reached.any()
            and float(before[:, reached.reshape(-1)].max()) < 2e-3
            and any(op.writes == BASE_COLOR for op in KINDS[step.kind].ops)
        ):
            return Reason(f"{step.name} multiplies black: there is nothing to color below it.", step.id)
        return Reason(f"With the other values of {step.name} it makes no difference.", step.id)
    for later, change in zip(steps[place + 1 :], changes[1:], strict=True):
        if not (change.seen[here] > LEAST).any():
            if (change.raw[here] > LEAST).any():
                return Reason(f"{later.name} pushes it beyond black or white, where it is cut off.", later.id)
            return Reason(f"{later.name} covers it.", later.id)
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
