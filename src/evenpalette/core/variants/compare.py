"""All variants against all others, as they are seen: by most, by those who see colors otherwise, as small as a game
shows them."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.difference import ciede2000
from evenpalette.core.color.encoding import F32, decode_srgb
from evenpalette.core.color.lab import linear_to_lab
from evenpalette.core.color.vision import Vision
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.errors import RecipeError
from evenpalette.core.light.lamps import SET_UPS
from evenpalette.core.parallel import Progress, no_progress, part_of, run_over
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, EMISSIVE, Holds
from evenpalette.core.variants.perceptual_difference import FINISH_UNITS
from evenpalette.core.variants.small_surface import Sight

#: Pixels a side of an asset in a game, where nobody says otherwise.
USUAL_SIZE = 64
#: Texels of a sheet that are compared, as many as this number of comparisons of two colors allows: means need no more.
_FEWEST_TEXELS, _MOST_TEXELS, _MOST_COMPARED = 256, 1024, 5_000_000
#: Texels of all variants whose looks are remembered: some 50 MiB.
_MOST_REMEMBERED = 128 * 64 * 64
#: Texels of pairs that are compared at once.
_AT_ONCE = 1 << 19


@dataclass(frozen=True)
class Pair:
    """Two variants by id. units: how far they are apart in the region where they differ most, mean of CIEDE2000 (a
    tenth of a finish counts like three). region: its id, '' for the whole. whole: over all that is used, root mean
    square."""

    first: str
    second: str
    units: float
    region: str
    whole: float


@dataclass(frozen=True, eq=False)
class _Sheet:
    """Of one sheet: the attributes' values of all variants, (variants, texels, channels), and the texels of each
    region, as weights (regions, texels) that sum to 1."""

    values: dict[str, F32]
    weights: F32
    regions: list[str]
    count: int


class Comparison:
    """All variants of a document, looked at once; then through any eyes."""

    def __init__(
        self, state: State, size: int = USUAL_SIZE, variants: Sequence[str] | None = None, progress: Progress = no_progress,
        *, night: bool = False,
    ) -> None:  # fmt: skip
        """size: pixels a side that the asset is seen at: what is smaller than a pixel is averaged in linear light.
        variants: ids, None is all. night: colors in the light of the set-up Night, with what glows. Raises
        RecipeError where there are fewer than two."""
        self._names = [v.id for v in state.project.variants if variants is None or v.id in variants]
        if len(self._names) < 2:
            raise RecipeError("There are no two variants to compare.")
        self._sheets = []
        for number, sheet in enumerate(state.sheets()):
            self._sheets.append(_looked_at(sheet, self._names, size, night))
            progress((number + 1) / len(state.project.sheets))

    def pairs(self, vision: Vision | None = None, progress: Progress = no_progress) -> list[Pair]:
        """Every pair, those that are nearest to each other over the whole first. vision: whose eyes look on, None is
        most people's."""
        sheets = [_seen(sheet, vision or Vision()) for sheet in self._sheets]
        pairs = list(combinations(range(len(self._names)), 2))
        most, where = np.zeros(len(pairs)), np.full(len(pairs), -1)
        squares, count = np.zeros(len(pairs)), sum(sheet.count for sheet in sheets)
        regions = [region for sheet in sheets for region in sheet.regions]
        first, second = np.array(pairs).T
        begin = 0
        for sheet in sheets:
            step = max(1, _AT_ONCE // max(1, sheet.weights.shape[1]))

            def work(at: int, sheet: _Sheet = sheet, step: int = step, begin: int = begin) -> None:
                part = slice(at, min(at + step, len(pairs)))
                units = _units(sheet, first[part], second[part])
                means = units @ sheet.weights.T
                best = means.argmax(1)
                top = means[np.arange(len(best)), best]
                better = top > most[part]
                most[part] = np.where(better, top, most[part])
                where[part] = np.where(better, begin + best, where[part])
                squares[part] += np.square(units, dtype=np.float64).mean(1) * sheet.count

            run_over(range(0, len(pairs), step), work, progress)
            begin += len(sheet.regions)
        whole = np.sqrt(squares / max(count, 1))
        named = [
            Pair(
                self._names[first[k]], self._names[second[k]], float(most[k]),
                regions[where[k]] if where[k] >= 0 else "", float(whole[k]),
            )
            for k in range(len(pairs))
        ]  # fmt: skip
        return sorted(named, key=lambda pair: (pair.whole, pair.units))


def compared(
    state: State, vision: Vision | None = None, size: int = USUAL_SIZE, variants: Sequence[str] | None = None,
    progress: Progress = no_progress, *, night: bool = False,
) -> list[Pair]:  # fmt: skip
    """`Comparison.pairs` through one pair of eyes."""
    looked = Comparison(state, size, variants, part_of(progress, 0, 0.5), night=night)
    return looked.pairs(vision, part_of(progress, 0.5, 0.5))


def _looked_at(sheet: State, names: Sequence[str], size: int, night: bool) -> _Sheet:
    sight = Sight(sheet, size)
    small, used = sight.small, sight.used
    texels = np.flatnonzero(used.reshape(-1))
    most = max(_FEWEST_TEXELS, min(_MOST_TEXELS, _MOST_COMPARED // (len(names) * (len(names) - 1) // 2)))
    if texels.size > most:
        # Evenly, so that no region is left out.
        texels = texels[np.linspace(0, texels.size - 1, most).astype(np.int64)]
    masks, regions = [], []
    for region, plane in zip(sheet.region_ids, small.coverages, strict=True):
        mask = (plane.reshape(-1)[texels] >= 128).astype(np.float32)
        if mask.sum() >= max(1, 0.005 * texels.size):
            masks.append(mask / mask.sum())
            regions.append(region)
    masks.append(np.full(texels.size, 1 / texels.size, np.float32))
    regions.append("")
    values: dict[str, list[F32]] = {key: [] for key in sight.wanted}
    is_small = small.size[0] * small.size[1] * len(names) <= _MOST_REMEMBERED
    for name in names:
        told = sheet.values(name)
        for key, picture in (sight.seen(told) if is_small else sight.looked(told)).items():
            flat = picture.reshape(-1, picture.shape[2])[texels]
            if ATTRIBUTES[key].holds in (Holds.COLOR, Holds.LIGHT):
                flat = np.asarray(decode_srgb(flat), np.float32)
            values[key].append(np.asarray(flat, np.float32))
    stacked = {key: np.stack(held) for key, held in values.items()}
    if night:
        # What is lit and what glows are one color to the eye.
        glow = stacked.pop(EMISSIVE, np.float32(0))
        stacked[BASE_COLOR] = np.asarray(np.clip(stacked[BASE_COLOR] * np.float32(_night()) + glow, 0, 1), np.float32)
    # What all have alike tells none apart.
    kept = {key: held for key, held in stacked.items() if (held != held[:1]).any()}
    return _Sheet(kept, np.stack(masks).astype(np.float32), regions, int(used.sum()))


def _night() -> float:
    """How bright white is by night: faced half by every lamp, under the mean of the sky."""
    made = SET_UPS["night"]
    return 0.5 * sum(strength for _, strength in made.lamps) + sum(made.sky) / 2


def _seen(sheet: _Sheet, vision: Vision) -> _Sheet:
    """Its colors as they are seen, in CIELAB."""
    colors = {
        key: linear_to_lab(vision.seen(held)) if ATTRIBUTES[key].holds in (Holds.COLOR, Holds.LIGHT) else held
        for key, held in sheet.values.items()
    }
    return replace(sheet, values=colors)


def _units(sheet: _Sheet, first: NDArray[np.int64], second: NDArray[np.int64]) -> F32:
    """How far each texel of each pair is apart, float32 (pairs, texels)."""
    units = np.zeros((len(first), sheet.weights.shape[1]), np.float32)
    for key, held in sheet.values.items():
        one, other = held[first], held[second]
        if ATTRIBUTES[key].holds in (Holds.COLOR, Holds.LIGHT):
            apart = ciede2000(one, other)
        else:
            apart = np.abs(one - other).max(-1) * np.float32(FINISH_UNITS)
        np.maximum(units, apart, out=units)
    return units
