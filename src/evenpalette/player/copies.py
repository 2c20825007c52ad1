"""The copies of a kit as the player has them: laid, numbered, added, moved, deleted; only what should changes."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from evenpalette.gpu.crowd import MOST, Copies, by_place, by_share, copies

#: How copies are laid, and how a game numbers them.
LAID = {"grid": "On a grid", "row": "In a row", "ground": "By chance"}
BY_ORDER, BY_PLACE = "By order", "By place"


@dataclass(frozen=True)
class Laid:
    """What is placed. count, laid, step: as `copies` takes them. shares: of each row. numbered: BY_ORDER or BY_PLACE.
    moved: places of copies that were moved by hand, by index. gone: indices of those that were deleted."""

    count: int
    laid: str
    step: float
    shares: tuple[float, ...]
    numbered: str = BY_ORDER
    moved: Mapping[int, tuple[float, float]] = field(default_factory=dict)
    gone: frozenset[int] = frozenset()

    def copies(self) -> Copies:
        """The copies, for drawing."""
        made = copies(self.count, self.laid, self.step)
        for index, place in self.moved.items():
            if index < len(made):
                made["place"][index] = place
        if self.numbered == BY_PLACE:
            made["number"] = by_place(made["place"], self.step / 4)
        made["row"] = by_share(made["number"], self.shares)
        kept = np.array([index not in self.gone for index in range(len(made))])
        return made[kept] if kept.any() else made[:1]

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
