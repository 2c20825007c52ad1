"""Planes of data that share textures in a kit: which lies in which channel, so that a pixel takes fewer reads."""

from collections.abc import Mapping, Sequence
from typing import Any

from evenpalette.core.dataclass import dataclass
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


def packed_reads(
    units: Sequence[tuple[Plane, ...]], alike: Mapping[Plane, Any], wished: Sequence[Sequence[Plane]] = ()
) -> Packing:
    """Planes in as few textures as their kinds allow. units: planes that stay together. alike: what planes of one
    texture have in common: size, depth. A kind whose textures do not become fewer is left as it is: coverages lie four
    to a texture, and of others each texture by itself.

    wished: planes that shall share a texture, by hand. What of it cannot be (another kind, no room, no such plane) is
    left out; whatever nobody has placed shares textures of its own."""
    kinds: dict[Any, list[tuple[Plane, ...]]] = {}
    for unit in units:
        kinds.setdefault(alike[unit[0]], []).append(unit)
    by_hand: dict[Any, list[list[Plane]]] = {}
    left = {plane: unit for unit in units for plane in unit}
    for wish in wished:
        place: list[Plane] = []
        for plane in wish:
            unit = left.get(plane, ())
            if unit and len(place) + len(unit) <= PER_TEXTURE and (not place or alike[place[0]] == alike[plane]):
                place += unit
                for one in unit:
                    del left[one]
        if place:
            by_hand.setdefault(alike[place[0]], []).append(place)
    made: dict[Plane, tuple[str, str]] = {}
    count = 0
    for kind, held in kinds.items():
        bins: list[list[Plane]] = []
        # Those that take most come first; the rest fills what is left.
        for unit in sorted((unit for unit in held if unit[0] in left), key=lambda unit: -len(unit)):
            free = next((b for b in bins if len(b) + len(unit) <= PER_TEXTURE), None)
            if free is None:
                free = []
                bins.append(free)
            free += unit
        regions = sum(len(unit) for unit in held if not unit[0].texture)
        apart = -(-regions // PER_TEXTURE) + len({unit[0].texture for unit in held if unit[0].texture})
        if len(bins) >= apart and kind not in by_hand:
            continue
        for planes in by_hand.get(kind, []) + bins:
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
