"""How far variants are apart to the eye, so that nobody delivers two that cannot be told apart.

Color is compared by CIEDE2000 (Sharma, Wu, Dalal 2005), light that is sent out as its picture. A tenth of a finish
(roughness, metallic ...) counts like three units of color, and two variants are told apart from two units on in some
region: both common practice, no source.
"""

from collections.abc import Mapping, Sequence
from itertools import combinations
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.color.encoding import F32, decode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, Holds
from evenpalette.core.values import Value
from evenpalette.core.variants.small_surface import Sight

#: From how many units on two variants are told apart.
TOLD_APART = 2.0
#: Units of color that a whole step of a finish (0 to 1) counts.
FINISH_UNITS = 30.0
#: Texels a side that are looked at.
_SIDE = 64
#: A region with a smaller part of the surface is not what variants are told apart by.
_LEAST_SHARE = 0.005
#: Variants that are compared with all others.
_MOST_LOOKS = 200


class Apart(NamedTuple):
    """units: how far two looks are apart where they differ most, mean over a region. region: its id, '' for the whole.
    whole: how far over the whole surface, root mean square: a large region counts for more than a small one."""

    units: float
    region: str
    whole: float


@dataclass(frozen=True, eq=False)
class Looks:
    """What values of parameters make of an asset, on few texels: for each sheet its attributes as they are seen,
    float32 (height, width, channels), and their mean over each region, (regions, channels)."""

    pictures: tuple[Mapping[str, F32], ...]
    means: tuple[Mapping[str, F32], ...]


class Eye:
    """Looks at a document with one set of values after another; reads what the recipe reads only once."""

    def __init__(self, state: State, side: int = _SIDE, *, remembers: bool = False) -> None:
        """remembers: what it sees is remembered for the next one, see `Sight`."""
        self._remembers = remembers
        self._sheets: list[tuple[Sight, list[tuple[str, NDArray[np.bool_]]]]] = []
        #: What the mean over each region weighs each texel, (regions, texels).
        self._weights: list[F32] = []
        for sheet in state.sheets():
            sight = Sight(sheet, side)
            used = sight.used
            masks = [
                (region, mask) for region, plane in zip(sheet.region_ids, sight.small.coverages, strict=True)
                if (mask := (plane >= 128) & used).sum() >= max(1, _LEAST_SHARE * used.sum())
            ]  # fmt: skip
            masks.append(("", used))
            self._sheets.append((sight, masks))
            self._weights.append(
                np.stack([mask.ravel() / np.float32(mask.sum()) for _, mask in masks]).astype(np.float32)
            )

    def look(self, values: Mapping[str, Value]) -> Looks:
        """With these values of the parameters, by id."""
        pictures, means = [], []
        for (sight, _), weights in zip(self._sheets, self._weights, strict=True):
            pictures.append(seen := sight.seen(values) if self._remembers else sight.looked(values))
            means.append({key: weights @ picture.reshape(weights.shape[1], -1) for key, picture in seen.items()})
        return Looks(tuple(pictures), tuple(means))

    def color_of(self, look: Looks, region: str) -> F32 | None:
        """The mean base color of a region, linear (3,); '' is the whole of the first sheet. None for one that is hardly
        there."""
        for (_, masks), means in zip(self._sheets, look.means, strict=True):
            for place, (known, _) in enumerate(masks):
                if known == region:
                    return np.asarray(decode_srgb(means[BASE_COLOR][place]), np.float32)
        return None

    def apart(self, first: Looks, second: Looks) -> Apart:
        """How far two looks are apart."""
        most, where, squares, count = 0.0, "", 0.0, 0
        for (_, masks), one, other in zip(self._sheets, first.pictures, second.pictures, strict=True):
            units = _units(one, other)
            for region, mask in masks:
                mean = float(units[mask].mean())
                if mean > most:
                    most, where = mean, region
            used = masks[-1][1]
            squares, count = squares + float(np.square(units[used], dtype=np.float64).sum()), count + int(used.sum())
        return Apart(most, where, (squares / max(count, 1)) ** 0.5)

    def nearest(self, look: Looks, others: Sequence[Looks], enough: float = 0.0) -> tuple[int, Apart] | None:
        """Which of other looks is nearest to one over the whole surface, and how near; None where there is no other.

        All are looked at texel by texel, those whose regions are nearest in their means first; with the first that is
        no farther than `enough` it ends, and that one is the answer.
        """
        if not others:
            return None
        squares = np.zeros(len(others))
        for sheet, (_, masks) in enumerate(self._sheets):
            shares = np.array([mask.sum() for _, mask in masks], float)
            means = {key: np.stack([other.means[sheet][key] for other in others]) for key in look.means[sheet]}
            here = {key: np.broadcast_to(look.means[sheet][key], mean.shape) for key, mean in means.items()}
            squares += np.square(_units(here, means)) @ shares
        best: tuple[int, Apart] | None = None
        for place in np.argsort(squares):
            found = int(place), self.apart(look, others[int(place)])
            if best is None or found[1].whole < best[1].whole:
                best = found
            if best[1].whole <= enough:
                break
        return best


def _units(one: Mapping[str, F32], other: Mapping[str, F32]) -> F32:
    """How far each texel is apart, float32 (height, width)."""
    height, width = next(iter(one.values())).shape[:2]
    units = np.zeros((height, width), np.float32)
    for key, picture in one.items():
        if np.array_equal(picture, other[key]):
            continue
        if ATTRIBUTES[key].holds in (Holds.COLOR, Holds.LIGHT):
            apart = difference_of_linear(decode_srgb(picture), decode_srgb(other[key]))
        else:
            apart = np.abs(picture - other[key]).max(-1) * np.float32(FINISH_UNITS)
        np.maximum(units, apart.reshape(height, width), out=units)
    return units


class Alike(NamedTuple):
    """Two variants, by id, that cannot be told apart."""

    first: str
    second: str
    apart: Apart


def alike(state: State, least: float = TOLD_APART) -> list[Alike]:
    """The pairs of variants that are less than so many units apart. One with the values of another is paired with that
    one alone; of more than `_MOST_LOOKS` different ones only the first are looked at."""
    found: list[Alike] = []
    known: dict[tuple, str] = {}
    for variant in state.project.variants:
        first = known.setdefault(tuple(sorted(state.values(variant.id).items())), variant.id)
        if first != variant.id:
            found.append(Alike(first, variant.id, Apart(0.0, "", 0.0)))
    names = list(known.values())[:_MOST_LOOKS]
    if len(names) < 2:
        return found
    eye = Eye(state, remembers=True)
    looks = [eye.look(state.values(name)) for name in names]
    pairs = list(combinations(range(len(names)), 2))
    for (i, j), means in zip(pairs, _means_apart(looks, pairs), strict=True):
        # Regions whose mean colors are twice as far apart need no look at their texels.
        if means < 2 * least and (apart := eye.apart(looks[i], looks[j])).units < least:
            found.append(Alike(names[i], names[j], apart))
    return found


def _means_apart(looks: Sequence[Looks], pairs: Sequence[tuple[int, int]]) -> list[float]:
    """How far the regions of pairs of looks are apart in their means, at most."""
    if not pairs:
        return []
    first, second = np.array(pairs).T
    found = np.zeros(len(pairs), np.float32)
    for sheet in range(len(looks[0].means)):
        means = {key: np.stack([look.means[sheet][key] for look in looks]) for key in looks[0].means[sheet]}
        one, other = ({key: mean[side] for key, mean in means.items()} for side in (first, second))
        np.maximum(found, _units(one, other).max(1), out=found)
    return [float(units) for units in found]
