"""The surface on few texels: what reach, and what likeness of variants, look at."""

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32, encode_srgb
from evenpalette.core.document.state import State
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, Holds
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.evaluate import evaluate_surface, evaluate_surfaces, stages
from evenpalette.core.recipe.sources import Sources


def small_sources(state: State, side: int) -> tuple[Sources, NDArray[np.bool_]]:
    """What the recipe reads with its longest side at most `side`, and which of its texels the model uses, bool (height,
    width)."""
    sources = state.sources
    factor = min(1.0, side / max(sources.size))
    width, height = (max(1, round(s * factor)) for s in sources.size)
    return sources.at_size(width, height), state.used_share((width, height)) > 0.25


def small_surface(steps: Sequence[BoundStep], sources: Sources, wanted: Sequence[str]) -> dict[str, F32]:
    """Attributes of bound steps, float32 (height, width, channels) each, as `evaluate_surface` makes them."""
    made = evaluate_surface(steps, sources, wanted, float_output=True)
    return {key: np.asarray(raster.pixels, np.float32) for key, raster in made.items()}


def small_surfaces(
    recipes: Sequence[Sequence[BoundStep]], sources: Sources, wanted: Sequence[str]
) -> Iterator[dict[str, F32]]:
    """`small_surface` of recipes that differ in values; what they begin with alike is made once."""
    for made in evaluate_surfaces(recipes, sources, wanted, float_output=True):
        yield {key: np.asarray(raster.pixels, np.float32) for key, raster in made.items()}


def small_stages(steps: Sequence[BoundStep], sources: Sources, wanted: Sequence[str]) -> Iterator[dict[str, F32]]:
    """Attributes at the start and after every step, float32 (planes, texels) each."""
    for frame in stages(steps, sources, wanted, (0, 0, *sources.size)):
        yield {key: np.stack(planes[: ATTRIBUTES[key].planes]) for key, planes in frame.items()}


def as_seen(key: str, picture: F32) -> F32:
    """What is seen of an attribute: color encoded and cut off, data as it is."""
    if ATTRIBUTES[key].holds is Holds.COLOR:
        return np.asarray(encode_srgb(np.clip(picture, 0, 1)), np.float32)
    if ATTRIBUTES[key].holds is Holds.LIGHT:
        return np.asarray(encode_srgb(np.clip(picture / (1 + picture), 0, 1)), np.float32)
    return np.clip(picture, -4, 4) if ATTRIBUTES[key].holds is Holds.SLOPES else np.clip(picture, 0, 1)


def wanted_attributes(state: State) -> tuple[str, ...]:
    """The base color and all others that the document makes."""
    return tuple(dict.fromkeys((BASE_COLOR, *state.attributes)))
