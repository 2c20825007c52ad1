"""Many copies of one model: where they stand, which variant each is; only what should changes when one comes, goes or
moves.

A copy's chance comes from its number alone (`pcg`), so it is the same in Python, in the views, in the player and on the
page. How copies are laid is common practice, no source.
"""

from collections.abc import Mapping, Sequence
from dataclasses import field, replace
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import njit
from evenpalette.core.pcg import pcg

#: One copy: (x, z) on the ground, cosine and sine of its turn, the row of its variant, its number, its phase in
#: seconds, and with which others it is shaded.
COPY = np.dtype(
    [("place", "<f4", 2), ("turn", "<f4", 2), ("row", "<i4"), ("number", "<u4"), ("phase", "<f4"), ("group", "<i4")]
)
MOST = 10_000
Copies = NDArray[np.void]

#: How copies are laid, and how a game numbers them.
LAID = {"grid": "On a grid", "street": "Along a street", "row": "In a row", "ground": "Scattered"}
BY_ORDER, BY_PLACE = "By order", "By place"
#: Which variant each copy is: as often as its share says, or besides no two alike beside each other.
BY_SHARE, APART = "share", "apart"
#: Steps that two copies are apart, at most, to stand beside each other: on a grid those that share a side.
BESIDE = 1.3
#: Rounds in which copies that are like a neighbor look for another variant.
_ROUNDS = 40


def copies(count: int, laid: str, step: float, seed: int = 1) -> Copies:
    """Copies numbered from 0: 'grid', 'row' (along x), 'street' (along x on both sides, facing each other), or 'ground'
    (by chance, none nearer to another than half a step).

    A copy keeps its place and turn when others are added behind it. step: between neighbors. Raises ValueError for
    another way.
    """
    count = max(1, min(int(count), MOST))
    made = np.zeros(count, COPY)
    numbers = np.arange(count, dtype=np.uint32)
    made["number"], made["turn"] = numbers, (1.0, 0.0)
    if laid == "row":
        made["place"][:, 0] = numbers * step
    elif laid == "street":
        far = numbers % 2 == 1
        made["place"][:, 0] = (numbers // 2) * step
        made["place"][:, 1] = np.where(far, 1.25 * step, -1.25 * step)
        made["turn"][far] = (-1.0, 0.0)
    elif laid in ("grid", "ground"):
        x, z = _spiral(count)
        made["place"] = np.stack([x, z], 1) * step
        if laid == "ground":
            chance = shares(numbers, seed, 3)
            made["place"] += (chance[:2].T - 0.5) * (0.5 * step)
            angle = chance[2] * 2 * np.pi
            made["turn"] = np.stack([np.cos(angle), np.sin(angle)], 1)
    else:
        raise ValueError(f"'{laid}' is no way to lay copies: {', '.join(LAID)}.")
    made["phase"] = shares(numbers, seed + 7, 1)[0] * 5
    return made


def _spiral(count: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Cells of a grid around the middle, from the inside out, so that more copies go around those that are there."""
    side = int(np.ceil(np.sqrt(count))) + 2
    x, z = (axis.reshape(-1) for axis in np.mgrid[-side : side + 1, -side : side + 1])
    ring = np.maximum(np.abs(x), np.abs(z))
    order = np.lexsort((np.arctan2(z, x), ring))[:count]
    return x[order].astype(float), z[order].astype(float)


def shares(numbers: NDArray[np.uint32], seed: int, planes: int) -> NDArray[np.float64]:
    """Numbers of 0 to 1 by chance for each copy, (planes, n), the same for a number whatever the others are."""
    base = pcg(numbers + pcg(seed))
    return np.stack([pcg(base + np.uint32(k)) for k in range(planes)]) / 2.0**32


def by_share(
    numbers: NDArray[np.uint32], weights: Sequence[float], first_row: int = 1, seed: int = 11
) -> NDArray[np.int32]:
    """A row for each number, each as often as its weight says; the same for a number whatever the others are."""
    total = np.cumsum(np.maximum(np.asarray(weights, np.float64), 0))
    if not len(total) or total[-1] <= 0:
        return np.full(len(numbers), first_row, np.int32)
    at = shares(np.asarray(numbers, np.uint32), seed, 1)[0] * total[-1]
    return np.asarray(first_row + np.searchsorted(total, at, "right").clip(0, len(total) - 1), np.int32)


def by_place(places: NDArray[np.float32], step: float) -> NDArray[np.uint32]:
    """The number of a copy by where it stands, as docs/kit.md gives it: places (n, 2) in whole steps of a grid."""
    x, z = (np.rint(places[:, k].astype(np.float64) / step).astype(np.int64).astype(np.uint32) for k in (0, 1))
    with np.errstate(over="ignore"):
        return pcg(x + pcg(np.uint32(0) + pcg(z)))


def beside(places: NDArray[np.float32], step: float) -> NDArray[np.int64]:
    """Pairs of copies that stand beside each other, (m, 2), by their places in the list. places: (n, 2)."""
    from scipy.spatial import cKDTree  # not for the first picture

    found = cKDTree(np.asarray(places, np.float64)).query_pairs(BESIDE * step, output_type="ndarray")
    return np.asarray(found, np.int64).reshape(-1, 2)


def kept_apart(
    numbers: NDArray[np.uint32], places: NDArray[np.float32], weights: Sequence[float], step: float, first_row: int = 1,
    seed: int = 11,
) -> tuple[NDArray[np.int32], int]:  # fmt: skip
    """A row for each copy, by its weight among those that no copy beside it has; and how many pairs are alike though.

    With one variant all are; with two on a grid none is. Where the order in which copies come leaves none that is free,
    they are taken neighbor by neighbor, and what is still alike looks for a better one in rounds.
    """
    given = np.maximum(np.asarray(weights, np.float64), 0)
    count = len(numbers)
    pairs = beside(places, step)
    if not len(given) or given.sum() <= 0:
        return np.full(count, first_row, np.int32), len(pairs)
    start, near = _neighbors(pairs, count)
    chance = shares(np.asarray(numbers, np.uint32), seed, 2)
    best, least = np.zeros(count, np.int64), len(pairs) + 1
    for walks in (False, True):
        order = _walk(start, near, count) if walks else np.arange(count)
        rows = np.full(count, -1, np.int64)
        _choose(order, start, near, given, chance[0], rows)
        if _alike(pairs, rows):
            _mend(start, near, given, chance[1], rows, _ROUNDS)
        found = _alike(pairs, rows)
        if found < least:
            best, least = rows, found
        if not least:
            break
    return np.asarray(first_row + best, np.int32), least


def _alike(pairs: NDArray[np.int64], rows: NDArray[np.int64]) -> int:
    return int((rows[pairs[:, 0]] == rows[pairs[:, 1]]).sum())


def _neighbors(pairs: NDArray[np.int64], count: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Where each copy's neighbors begin in the list of all, and the list."""
    both = np.concatenate([pairs, pairs[:, ::-1]])
    both = both[np.lexsort((both[:, 1], both[:, 0]))]
    return np.searchsorted(both[:, 0], np.arange(count + 1)), np.ascontiguousarray(both[:, 1])


@njit(nogil=True, cache=True)
def _walk(start, near, count):  # type: ignore[no-untyped-def]
    """All copies neighbor by neighbor, the first of each group first."""
    order, seen, filled = np.empty(count, np.int64), np.zeros(count, np.uint8), 0
    for first in range(count):
        if seen[first]:
            continue
        order[filled], seen[first], at = first, 1, filled
        filled += 1
        while at < filled:
            here = order[at]
            at += 1
            for k in range(start[here], start[here + 1]):
                if not seen[near[k]]:
                    seen[near[k]] = 1
                    order[filled] = near[k]
                    filled += 1
    return order


@njit(nogil=True, cache=True)
def _choose(order, start, near, weights, chance, rows):  # type: ignore[no-untyped-def]
    """A variant for each copy in this order, by weight among those that no neighbor has so far; else the rarest among
    them."""
    kinds = len(weights)
    taken = np.zeros(kinds, np.int64)
    for at in order:
        taken[:] = 0
        for k in range(start[at], start[at + 1]):
            if rows[near[k]] >= 0:
                taken[rows[near[k]]] += 1
        total = 0.0
        for kind in range(kinds):
            if taken[kind] == 0:
                total += weights[kind]
        if total > 0:
            left = chance[at] * total
            for kind in range(kinds):
                if taken[kind] == 0 and weights[kind] > 0:
                    rows[at] = kind
                    left -= weights[kind]
                    if left < 0:
                        break
        else:
            fewest = 1 << 40
            for kind in range(kinds):
                if weights[kind] > 0 and taken[kind] < fewest:
                    fewest, rows[at] = taken[kind], kind


@njit(nogil=True, cache=True)
def _mend(start, near, weights, chance, rows, rounds):  # type: ignore[no-untyped-def]
    """Copies like a neighbor take the variant that the fewest neighbors have; of equal ones another one each round, so
    that what is stuck moves on."""
    kinds = len(weights)
    taken = np.zeros(kinds, np.int64)
    for turn in range(rounds):
        changed = False
        for at in range(len(rows)):
            taken[:] = 0
            for k in range(start[at], start[at + 1]):
                taken[rows[near[k]]] += 1
            if taken[rows[at]] == 0:
                continue
            changed = True
            shift, best = int(chance[at] * 65536) + turn * 7919, -1
            for k in range(kinds):
                kind = (k + shift) % kinds
                if weights[kind] > 0 and kind != rows[at] and (best < 0 or taken[kind] < taken[best]):
                    best = kind
            if best >= 0 and taken[best] <= taken[rows[at]]:
                rows[at] = best
        if not changed:
            return


@lru_cache(maxsize=4)
def _apart_as_laid(count: int, laid: str, step: float, shares_: tuple[float, ...]) -> tuple[NDArray[np.int32], int]:
    """`kept_apart` of copies that nobody moved, kept while a hand moves one."""
    made = copies(count, laid, step)
    return kept_apart(made["number"], made["place"], shares_, step)


@dataclass(frozen=True)
class Laid:
    """What is placed. count, laid, step: as `copies` takes them. shares: of each row. numbered: BY_ORDER or BY_PLACE.
    moved: places of copies that were moved by hand, by index. gone: indices of those that were deleted. rule: BY_SHARE
    or APART."""

    count: int
    laid: str
    step: float
    shares: tuple[float, ...]
    numbered: str = BY_ORDER
    moved: Mapping[int, tuple[float, float]] = field(default_factory=dict)
    gone: frozenset[int] = frozenset()
    rule: str = BY_SHARE

    @cached_property
    def _made(self) -> tuple[Copies, int]:
        made = copies(self.count, self.laid, self.step)
        for index, place in self.moved.items():
            if index < len(made):
                made["place"][index] = place
        if self.numbered == BY_PLACE:
            made["number"] = by_place(made["place"], self.step / 4)
        alike = 0
        if self.rule == APART:
            if self.numbered == BY_PLACE:
                made["row"], alike = kept_apart(made["number"], made["place"], self.shares, self.step)
            else:
                # By where copies were laid: one that is moved keeps its look.
                made["row"], alike = _apart_as_laid(self.count, self.laid, self.step, self.shares)
        else:
            made["row"] = by_share(made["number"], self.shares)
        kept = np.array([index not in self.gone for index in range(len(made))])
        return (made[kept] if kept.any() else made[:1]), alike

    def copies(self) -> Copies:
        """The copies, for drawing: not to be changed."""
        return self._made[0]

    @property
    def alike(self) -> int:
        """Pairs of copies beside each other that are alike though the rule is APART."""
        return self._made[1]

    def indices(self) -> list[int]:
        """The index of each drawn copy."""
        kept = [index for index in range(min(self.count, MOST)) if index not in self.gone]
        return kept or [0]

    def with_move(self, index: int, place: tuple[float, float]) -> "Laid":
        """A copy moved."""
        return replace(self, moved={**self.moved, index: place})

    def without(self, index: int) -> "Laid":
        """A copy deleted, as long as one is left."""
        return replace(self, gone=self.gone | {index}) if len(self.indices()) > 1 else self

    def with_one_more(self) -> "Laid":
        """A copy added behind all others."""
        return replace(self, count=min(self.count + 1, MOST))
