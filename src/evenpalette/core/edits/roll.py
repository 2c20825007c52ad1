"""Variants by chance that can be told apart from each other and from those that are there, within limits."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.crowd import Limit
from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import add_variant, find_variant
from evenpalette.core.errors import RecipeError
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.values import Value
from evenpalette.core.variants.limits import narrowed
from evenpalette.core.variants.perceptual_difference import Eye, Looks
from evenpalette.core.variants.random_values import Chance, roll

#: Rolls for one variant; the one that is farthest from all others is taken where none is far enough. More where a
#: contrast is to be kept, which a roll cannot know beforehand.
_TRIES, _TRIES_FOR_CONTRAST = 16, 160
#: Units of CIEDE2000 over the whole surface that variants stay away from one that was disliked, where that can be.
FROM_DISLIKED = 8.0
MOST = 100


@dataclass(frozen=True)
class Taste:
    """What somebody liked and disliked of earlier rolls: the value of every parameter of each, by id."""

    liked: tuple[Mapping[str, Value], ...] = ()
    disliked: tuple[Mapping[str, Value], ...] = ()


_NO_TASTE = Taste()


@dataclass(frozen=True)
class Rolled:
    """state: with the new variants behind the others, the active one as before. variants: ids of the new ones. nearest:
    of each how many units of CIEDE2000 it is from the variant that is nearest to it, over the whole surface
    (`Apart`). worst: ids of the two that are nearest to each other, the first a new one, and how near; None for one
    variant alone."""

    state: State
    variants: tuple[str, ...]
    nearest: tuple[float, ...]
    worst: tuple[str, str, float] | None = None


class _Roller:
    """Rolls one variant after another, each away from all that are there."""

    def __init__(
        self, state: State, chance: Chance, seed: int, base: str | None, least: float, taste: Taste
    ) -> None:  # fmt: skip
        if not any(parameter.id in chance.free for parameter in state.project.recipe.parameters):
            raise RecipeError("No parameter may change: choose at least one.")
        if base is not None and find_variant(state, base) is None:
            raise RecipeError("The variant to derive from is gone.")
        self._parameters = state.project.recipe.parameters
        limits, among = narrowed(
            self._parameters, {limit.parameter: limit for limit in state.project.limits} | dict(chance.limits), taste.liked
        )  # fmt: skip
        self._chance = replace(chance, limits=limits, among=among)
        self._source, self.eye = np.random.default_rng(seed), Eye(state)
        self._begin, self._least = state.values(base), least
        self._known = [state.values(variant.id) for variant in state.project.variants] or [self._begin]
        self._disliked = [self.eye.look(values) for values in taste.disliked]
        self._contrasts = [
            (limit, limit_regions(state, limit.parameter)) for limit in limits.values()
            if limit.contrast and limit.parameter in chance.free
        ]  # fmt: skip

    def one(self, others: Sequence[Looks]) -> tuple[dict[str, Value], Looks, tuple[int, float] | None]:
        """Values, what they look like, and which other one is nearest and how near. Raises RecipeError where no roll
        keeps the contrast that was asked for."""
        best: tuple[dict[str, Value], Looks, tuple[int, float] | None] | None = None
        #: How good the best is: away from what was disliked, then how far from all others.
        score, tries = (-1.0, -1.0), 0
        wants_more = self._least > 0 or bool(self._disliked)
        most = _TRIES_FOR_CONTRAST if self._contrasts or self._disliked else _TRIES if wants_more else 1
        for _ in range(most):
            values = roll(self._parameters, self._begin, self._known, self._chance, self._source)
            look = self.eye.look({**self._begin, **values})
            if not all(self._keeps_contrast(look, limit, own) for limit, own in self._contrasts):
                continue
            tries += 1
            bad = self.eye.nearest(look, self._disliked)
            away = min(bad[1].whole, FROM_DISLIKED) if bad is not None else FROM_DISLIKED
            # Once it is no farther than the best so far it is not wanted, however near the others are.
            near = self.eye.nearest(look, others, score[1] if away <= score[0] else 0.0)
            found = (near[0], near[1].whole) if near is not None else None
            far = found[1] if found is not None else float("inf")
            if (away, far) > score:
                best, score = (values, look, found), (away, far)
            if away >= FROM_DISLIKED and (far >= self._least or tries >= _TRIES):
                break
        if best is None:
            raise RecipeError("No roll keeps the contrast that the limits ask for. Let more change, or ask for less.")
        return best

    def _keeps_contrast(self, look: Looks, limit: Limit, own: Sequence[str]) -> bool:
        for region, units in limit.contrast.items():
            other = self.eye.color_of(look, region)
            for mine in own:
                here = self.eye.color_of(look, mine)
                if other is None or here is None or mine == region:
                    continue
                if float(difference_of_linear(here, other)) < units:
                    return False
        return True


def limit_regions(state: State, parameter: str) -> list[str]:
    """The regions of rows that follow a parameter, by id; '' where a row is for everywhere else."""
    found: list[str] = []
    for sheet in state.project.sheets:
        for step in sheet.steps:
            for row in step.rows:
                bindings = (step.amount, row.amount, *step.inputs.values(), *row.inputs.values())
                if step.enabled and any(b.parameter == parameter for b in bindings):
                    found += row.regions if row.regions is not None else ("",)
    return list(dict.fromkeys(found))


def roll_variants(
    state: State, count: int, chance: Chance, seed: int, *, base: str | None = None, least: float = 0.0, name: str = "Roll",
    taste: Taste = _NO_TASTE, progress: Progress = no_progress,
) -> Rolled:  # fmt: skip
    """Add variants with values by chance, each derived from `base` (None: from the defaults).

    count: 1 to MOST. seed: equal ones give equal variants. least: units of CIEDE2000, over the whole surface, that each
    is to be away from every other one, where that can be. What may change keeps to the limits of the chance and of the
    project, and lies near what was liked. Raises RecipeError where there is nothing to roll, or nothing keeps to the
    limits.
    """
    roller = _Roller(state, chance, seed, base, least, taste)
    ids = [variant.id for variant in state.project.variants]
    looks = [roller.eye.look(state.values(key)) for key in ids]
    if not looks:
        # What is rolled is to differ from what is there: the defaults.
        looks, ids = [roller.eye.look(state.values(base))], [""]
    made, nearest, active = state, [], state.project.active_variant
    worst: tuple[str, str, float] | None = None
    for number in range(min(max(count, 1), MOST)):
        progress(number / count)
        values, look, near = roller.one(looks)
        made = add_variant(made, name, base)
        fresh = find_variant(made, made.project.active_variant)
        assert fresh is not None
        others = tuple(v for v in made.project.variants if v.id != fresh.id)
        made = made.with_project(variants=(*others, fresh.model_copy(update={"values": values})))
        if near is not None and ids[near[0]] and (worst is None or near[1] < worst[2]):
            worst = fresh.id, ids[near[0]], near[1]
        nearest.append(near[1] if near is not None else float("inf"))
        looks.append(look)
        ids.append(fresh.id)
    new = tuple(variant.id for variant in made.project.variants[len(state.project.variants) :])
    return Rolled(made.with_project(active_variant=active), new, tuple(nearest), worst)


def roll_one_again(
    rolled: Rolled, variant: str, chance: Chance, seed: int, *, base: str | None = None, least: float = 0.0,
    taste: Taste = _NO_TASTE,
) -> Rolled:  # fmt: skip
    """Another one in the place of one that was rolled, away from all others, which stay as they are. Raises RecipeError
    as `roll_variants` does."""
    without = rolled.state.with_project(variants=tuple(v for v in rolled.state.project.variants if v.id != variant))
    roller = _Roller(without, chance, seed, base, least, taste)
    looks = {v.id: roller.eye.look(without.values(v.id)) for v in without.project.variants}
    values, look, _ = roller.one(list(looks.values()))
    variants = tuple(
        v.model_copy(update={"values": values}) if v.id == variant else v for v in rolled.state.project.variants
    )
    looks[variant] = look
    return _judged(replace(rolled, state=rolled.state.with_project(variants=variants)), roller.eye, looks)


def _judged(rolled: Rolled, eye: Eye, looks: Mapping[str, Looks]) -> Rolled:
    """How near each new variant is to all others now."""
    nearest: list[float] = []
    worst: tuple[str, str, float] | None = None
    for key in rolled.variants:
        names = [other for other in looks if other != key]
        near = eye.nearest(looks[key], [looks[other] for other in names])
        nearest.append(near[1].whole if near is not None else float("inf"))
        if near is not None and (worst is None or near[1].whole < worst[2]):
            worst = key, names[near[0]], near[1].whole
    return replace(rolled, nearest=tuple(nearest), worst=worst)
