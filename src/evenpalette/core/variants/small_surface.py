"""The surface on few texels: what reach, and what likeness of variants, look at."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.blocks import encoded_units
from evenpalette.core.color.encoding import F32
from evenpalette.core.document.state import State
from evenpalette.core.raster.reading import found_in
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, Holds
from evenpalette.core.recipe.binding import NOW, BoundStep, Moment, binder_of
from evenpalette.core.recipe.evaluate import Evaluator, evaluate_surfaces, stages
from evenpalette.core.recipe.sources import Sources
from evenpalette.core.values import Value

T = TypeVar("T")


#: A small texel is used where the model uses so much of it.
_USED = 0.25


def small_sources(state: State, side: int, least: float = _USED) -> tuple[Sources, NDArray[np.bool_]]:
    """What the recipe reads with its longest side at most `side`, and which of its texels the model uses, bool (height,
    width): those of which more than `least` is used."""
    sources = state.sources
    factor = min(1.0, side / max(sources.size))
    width, height = (max(1, round(s * factor)) for s in sources.size)
    return sources.at_size(width, height), state.used_share((width, height)) > least


class Sight:
    """The state's sheet of a document on few texels, with one set of values after another. What was seen is remembered
    for a while: a variant that nobody touched is not worked out again because another one was.

    small: what the recipe reads. used: which of its texels the model uses, bool (height, width), at least `least` of
    each; all where it uses none, as has_used says. wanted: attributes. bind: the steps with values of the parameters,
    by id.
    """

    def __init__(self, state: State, side: int, least: float = _USED) -> None:
        self.small, used = small_sources(state, side, least)
        self.has_used = bool(used.any())
        self.used = used if used.any() else np.ones_like(used)
        self.wanted = wanted_attributes(state)
        self.bind = binder_of(state.sheet.steps, state.region_ids)
        self._evaluator = Evaluator(self.small, self.wanted)
        sources = state.sources
        self._arrays = [sources.base.pixels, *sources.coverages, *(t.pixels for t in sources.textures.values())]
        if state.mesh is not None:
            self._arrays.append(state.mesh.mesh.positions)
        self._told = (
            side, least, state.sheet.id, state.project.recipe.model_dump_json(), tuple(state.region_ids), self.wanted,
            repr((state.sharings, sources.starts, list(sources.textures), sources.base.encoding)),
        )  # fmt: skip

    def remembered(self, what: tuple[object, ...], values: Mapping[str, Value], make: Callable[[], T]) -> T:
        """What was made of the same document with these values before, else what is made now. what: all else that it
        depends on, what it is first."""
        key = (*self._told, *what, tuple(sorted(values.items())))
        return found_in(self._arrays, key, make)

    def seen(self, values: Mapping[str, Value], at: Moment = NOW) -> Mapping[str, F32]:
        """`looked`, remembered: for values that somebody has, not for those that are tried."""
        return self.remembered(("seen", at), values, lambda: self.looked(values, at))

    def surface(self, values: Mapping[str, Value], at: Moment = NOW) -> dict[str, F32]:
        """Every attribute as it is computed, float32 (height, width, planes)."""
        return self._evaluator(self.bind(values, at))

    def looked(self, values: Mapping[str, Value], at: Moment = NOW) -> Mapping[str, F32]:
        """Every attribute as it is seen, float32 (height, width, channels)."""
        made = self.surface(values, at)
        return {key: as_seen(key, picture) for key, picture in made.items()}


def small_surfaces(
    recipes: Sequence[Sequence[BoundStep]], sources: Sources, wanted: Sequence[str]
) -> Iterator[dict[str, F32]]:
    """Attributes of recipes that differ in values, float32 (height, width, planes) each; what they begin with alike is
    made once."""
    for made in evaluate_surfaces(recipes, sources, wanted, float_output=True):
        yield {key: np.asarray(raster.pixels, np.float32) for key, raster in made.items()}


def small_stages(steps: Sequence[BoundStep], sources: Sources, wanted: Sequence[str]) -> Iterator[dict[str, F32]]:
    """Attributes at the start and after every step, float32 (planes, texels) each."""
    for frame in stages(steps, sources, wanted, (0, 0, *sources.size)):
        yield {key: np.stack(planes[: ATTRIBUTES[key].planes]) for key, planes in frame.items()}


def as_seen(key: str, picture: F32) -> F32:
    """What is seen of an attribute: color encoded and cut off, data as it is."""
    if ATTRIBUTES[key].holds is Holds.COLOR:
        return encoded_units(picture)
    if ATTRIBUTES[key].holds is Holds.LIGHT:
        return encoded_units(picture / (1 + picture))
    return np.clip(picture, -4, 4) if ATTRIBUTES[key].holds is Holds.SLOPES else np.clip(picture, 0, 1)


def wanted_attributes(state: State) -> tuple[str, ...]:
    """The base color and all others that the document makes."""
    return tuple(dict.fromkeys((BASE_COLOR, *state.attributes)))
