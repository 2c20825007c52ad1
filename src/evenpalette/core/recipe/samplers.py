"""What the textures of a recipe are called in its shader: one list for the text, the views and the kit."""

from collections.abc import Sequence
from typing import TypeVar

from evenpalette.core.raster.packing import Slot, grouped, slot, texture_count

T = TypeVar("T")
#: What the recipe starts from.
BASE_SAMPLER = "ep_base"


def coverage_sampler(texture: int) -> str:
    """The texture of coverages with this number."""
    return f"ep_coverage_{texture}"


def coverage_samplers(regions: int) -> list[str]:
    """The textures that the coverages of so many regions take."""
    return [coverage_sampler(n) for n in range(texture_count(regions))]


def coverage_slot(region: int) -> tuple[str, Slot]:
    """In which texture, and where in it, the coverage of a region lies, by its place from 0."""
    place = slot(region)
    return coverage_sampler(place.texture), place


def by_sampler(coverages: Sequence[T]) -> dict[str, Sequence[T]]:
    """Coverages, or what stands for them, by the texture that they lie in."""
    return {coverage_sampler(n): group for n, group in enumerate(grouped(coverages))}
