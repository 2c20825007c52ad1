"""Planes of data that share textures in a kit: which lies in which channel, so that a pixel takes fewer reads."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from evenpalette.core.raster.packing import PER_TEXTURE

_LETTERS = "rgba"


@dataclass(frozen=True)
class Plane:
    """A plane that a kit stores. texture: the id of the texture that it is a channel of, '' for the coverage of a
    region. channel: of the texture, or the region's place from 0."""

    texture: str
    channel: int


#: Of each packed plane its sampler and channel.
Packing = Mapping[Plane, tuple[str, str]]


def pack_sampler(number: int) -> str:
    """The packed texture with this number."""
    return f"ep_packed_{number}"


def packed_reads(units: Sequence[tuple[Plane, ...]], alike: Mapping[Plane, Any]) -> Packing:
    """Planes in as few textures as their kinds allow. units: planes that stay together. alike: what planes of one
    texture have in common: size, depth. A kind whose textures do not become fewer is left as it is: coverages lie four
    to a texture, and of others each texture by itself."""
    kinds: dict[Any, list[tuple[Plane, ...]]] = {}
    for unit in units:
        kinds.setdefault(alike[unit[0]], []).append(unit)
    made: dict[Plane, tuple[str, str]] = {}
    count = 0
    for held in kinds.values():
        bins: list[list[Plane]] = []
        # Those that take most come first; the rest fills what is left.
        for unit in sorted(held, key=lambda unit: -len(unit)):
            place = next((b for b in bins if len(b) + len(unit) <= PER_TEXTURE), None)
            if place is None:
                place = []
                bins.append(place)
            place += unit
        regions = sum(len(unit) for unit in held if not unit[0].texture)
        apart = -(-regions // PER_TEXTURE) + len({unit[0].texture for unit in held if unit[0].texture})
        if len(bins) >= apart:
            continue
        for planes in bins:
            for at, plane in enumerate(planes):
                made[plane] = pack_sampler(count), _LETTERS[at]
            count += 1
    return made


def planes_of(packing: Packing) -> dict[str, list[Plane]]:
    """The planes of each packed texture, in the order of its channels."""
    made: dict[str, list[Plane]] = {}
    for plane, (sampler, _) in sorted(packing.items(), key=lambda item: (item[1][0], _LETTERS.index(item[1][1]))):
        made.setdefault(sampler, []).append(plane)
    return made
