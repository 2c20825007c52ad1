"""The attributes of a variant as pictures, as they are delivered."""

from collections.abc import Iterable, Iterator, Sequence

import numpy as np

from evenpalette.core.color.encoding import encode_srgb_8bit
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, OPACITY, Holds
from evenpalette.core.recipe.binding import NOW, Moment
from evenpalette.core.recipe.evaluate import evaluate_surface, evaluate_surfaces

#: Pictures of attributes that are rendered together may take so much.
_MOST_BYTES = 384 << 20


@dataclass(frozen=True)
class Map:
    """One attribute as a picture. strength: what its color is multiplied by, for light that exceeds 1."""

    attribute: str
    raster: Raster
    strength: float = 1.0


def delivered_size(state: State, longest: int) -> tuple[int, int]:
    """(width, height) of the delivered maps for a longest side; 0 is the sources' own size."""
    width, height = state.sources.size
    if longest <= 0:
        return width, height
    factor = longest / max(width, height)
    return max(1, round(width * factor)), max(1, round(height * factor))


def groups_of(wanted: Sequence[str], size: tuple[int, int]) -> list[tuple[str, ...]]:
    """Attributes in groups whose pictures a part of the memory holds; they are rendered one group after the other. All
    of them at usual sizes."""
    texels = size[0] * size[1]
    groups: list[list[str]] = []
    held = 0
    for key in dict.fromkeys(wanted):
        takes = texels * ATTRIBUTES[key].planes * (4 if ATTRIBUTES[key].holds is Holds.LIGHT else 1)
        if not groups or (held + takes > _MOST_BYTES and groups[-1]):
            groups.append([])
            held = 0
        groups[-1].append(key)
        held += takes
    return [tuple(group) for group in groups]


def render_maps(
    state: State, variant_id: str | None, wanted: Iterable[str], size: tuple[int, int] | None, *, at: Moment = NOW,
    progress: Progress = no_progress, workers: int = 0, as_light: bool = False,
) -> dict[str, Map]:  # fmt: skip
    """Attributes of a variant on the state's sheet, in one evaluation, each as it is delivered.

    The base color is 8-bit sRGB with the opacity as its alpha, where the surface has one (it is not multiplied in). The
    normal is a map with green up. Emissive is 8-bit sRGB of what is left when it is divided by its strength, which is
    the brightest value or 1; as_light: linear float32 instead. The others are 8-bit data.
    """
    asked = list(dict.fromkeys(wanted))
    steps = state.bound_steps(variant_id, at)
    made = evaluate_surface(steps, state.working, _needed(state, asked), size=size, progress=progress, workers=workers)
    return _delivered(state, made, asked, as_light=as_light)


def render_variants(
    state: State, variant_ids: Sequence[str | None], wanted: Iterable[str], size: tuple[int, int] | None, *,
    progress: Progress = no_progress, workers: int = 0,
) -> Iterator[dict[str, Map]]:  # fmt: skip
    """`render_maps` for one variant after the other; what they share is made once."""
    asked = list(dict.fromkeys(wanted))
    recipes = [state.bound_steps(variant_id) for variant_id in variant_ids]
    for made in evaluate_surfaces(
        recipes, state.working, _needed(state, asked), size=size, progress=progress, workers=workers
    ):
        yield _delivered(state, made, asked)


def _needed(state: State, asked: Sequence[str]) -> set[str]:
    """What is to be evaluated: opacity too where it is the alpha of the base color."""
    return {*asked, *((OPACITY,) if BASE_COLOR in asked and OPACITY in state.attributes else ())}


def _delivered(
    state: State, made: dict[str, Raster], asked: Sequence[str], *, as_light: bool = False
) -> dict[str, Map]:
    maps = {}
    for attribute in asked:
        raster, strength = made[attribute], 1.0
        # The alpha of one that is opaque would say what its kit does not, also where its opacity is asked for.
        if attribute == BASE_COLOR and OPACITY in state.attributes:
            raster = Raster(np.concatenate([raster.pixels, made[OPACITY].pixels], -1), raster.encoding)
        if ATTRIBUTES[attribute].holds is Holds.LIGHT and not as_light:
            strength = max(1.0, float(raster.pixels.max()))
            # In place: at large sizes it is the largest of all. What was evaluated is nobody else's.
            pixels = raster.pixels
            pixels *= np.float32(1 / strength)
            raster = Raster(encode_srgb_8bit(pixels), Encoding.SRGB)
            made[attribute] = raster
        maps[attribute] = Map(attribute, raster, strength)
    return maps


def render_map(
    state: State,
    variant_id: str | None,
    size: tuple[int, int] | None,
    progress: Progress = no_progress,
    workers: int = 0,
) -> Raster:
    """The recolored base color of a variant on the state's sheet, see `render_maps`."""
    return render_maps(state, variant_id, (BASE_COLOR,), size, progress=progress, workers=workers)[BASE_COLOR].raster
