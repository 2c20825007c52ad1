"""Variants by chance that can be told apart from each other and from those that are there."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import add_variant, find_variant
from evenpalette.core.errors import RecipeError
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.values import Value
from evenpalette.core.variants.perceptual_difference import Eye, Looks
from evenpalette.core.variants.random_values import Chance, roll

#: Rolls for one variant; the one that is farthest from all others is taken where none is far enough.
_TRIES = 16
MOST = 100


@dataclass(frozen=True)
class Rolled:
    """state: with the new variants behind the others, the active one as before. variants: ids of the new ones. nearest:
    of each how many units of CIEDE2000 it is from the variant that is nearest to it, over the whole surface
    (`Apart`)."""

    state: State
    variants: tuple[str, ...]
    nearest: tuple[float, ...]


def roll_variants(
    state: State, count: int, chance: Chance, seed: int, *, base: str | None = None, least: float = 0.0, name: str = "Roll",
    progress: Progress = no_progress,
) -> Rolled:  # fmt: skip
    """Add variants with values by chance, each derived from `base` (None: from the defaults).

    count: 1 to MOST. seed: equal ones give equal variants. least: units of CIEDE2000, over the whole surface, that each
    is to be away from every other one, where that can be. Raises RecipeError where there is nothing to roll.
    """
    parameters = state.project.recipe.parameters
    if not any(parameter.id in chance.free for parameter in parameters):
        raise RecipeError("No parameter may change: choose at least one.")
    if base is not None and find_variant(state, base) is None:
        raise RecipeError("The variant to derive from is gone.")
    source, eye = np.random.default_rng(seed), Eye(state)
    begin = state.values(base)
    known = [state.values(variant.id) for variant in state.project.variants] or [begin]
    looks = [eye.look(values) for values in known]
    made, nearest, active = state, [], state.project.active_variant
    for number in range(min(max(count, 1), MOST)):
        progress(number / count)
        values, look, far = _farthest(lambda: roll(parameters, begin, known, chance, source), begin, eye, looks, least)
        looks.append(look)
        nearest.append(far)
        made = add_variant(made, name, base)
        fresh = find_variant(made, made.project.active_variant)
        assert fresh is not None
        others = tuple(v for v in made.project.variants if v.id != fresh.id)
        made = made.with_project(variants=(*others, fresh.model_copy(update={"values": values})))
    new = tuple(variant.id for variant in made.project.variants[len(state.project.variants) :])
    return Rolled(made.with_project(active_variant=active), new, tuple(nearest))


def _farthest(
    again: Callable[..., dict[str, Value]], begin: dict[str, Value], eye: Eye, others: Sequence[Looks], least: float
) -> tuple[dict[str, Value], Looks, float]:
    """The first roll that is far enough from all others, or the farthest of several."""
    best: tuple[dict[str, Value], Looks, float] | None = None
    for _ in range(_TRIES if least > 0 else 1):
        values = again()
        look = eye.look({**begin, **values})
        # Once it is no farther than the best so far it is not wanted, however near the others are.
        near = eye.nearest(look, others, best[2] if best is not None else 0.0)
        far = near[1].whole if near is not None else float("inf")
        if best is None or far > best[2]:
            best = values, look, far
        if far >= least:
            break
    assert best is not None
    return best
