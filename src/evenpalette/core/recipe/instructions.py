"""Instructions for `blocks.walk` while they are made: their words, what of a tile they read, which numbers come from
the values of steps."""

from collections.abc import Callable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import Kernel, code_address
from evenpalette.core.raster.box import Box
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.blocks import Held, Line, Words, address_of
from evenpalette.core.recipe.sources import TileReads

#: The numbers of a kernel.
Numbers = Sequence[float] | NDArray[np.float32]
#: The results of one recipe, by attribute: (height, width, channels).
Outs = Mapping[str, NDArray]


@dataclass(frozen=True)
class Need:
    """For which regions something is read, None among them for everywhere; `here` says whether a tile has any."""

    regions: set[int | None]
    here: NDArray[np.int64]
    address: int


@dataclass(frozen=True)
class Place:
    """A word that holds an address of a tile: of what `array` gives, or of a recipe's result. need: only where."""

    words: NDArray[np.int64]
    word: int
    array: Callable[[Box, TileReads, Sequence[Outs]], NDArray]
    need: Need | None = None


@dataclass(frozen=True)
class Given:
    """Numbers that come from the values of steps: of which, where they lie, and what makes them."""

    steps: frozenset[int]
    numbers: NDArray[np.float32]
    make: Callable[[Sequence[BoundStep]], Numbers]


class Instructions:
    """A list that grows, in one stretch or several: what lies between these is not done in blocks."""

    def __init__(self) -> None:
        self.held = Held()
        self.places: list[Place] = []
        self.needs: list[Need] = []
        self.given: list[Given] = []
        self.code: list[tuple[int, int, int]] = []

    def emit(
        self, kernel: Kernel, given: Numbers, lines: Sequence[Line], more: Sequence[int] = (), when: int = 0
    ) -> Words:
        """An instruction. more: words behind its lines; when: where it is said whether there is anything to do."""
        words = self.held.words(given, lines, more)
        self.code.append((code_address(kernel), words.address, when))
        return words

    def from_tile(
        self, kernel: Kernel, given: Numbers, step: int, lines: Sequence[Line],
        more: Sequence[int], need: Need | None, array: Callable[[Box, TileReads], NDArray],
    ) -> None:  # fmt: skip
        """An instruction whose first line is what `array` gives for a tile, so many bytes a texel."""
        words = self.emit(kernel, given, [(0, step), *lines], more, need.address if need is not None else 0)
        self.places.append(Place(words.held, 1, lambda box, reads, _: array(box, reads), need))

    def need(self) -> Need:
        """That something is read where rows have a weight that are still to be named."""
        made = Need(set(), *self.held.word())
        self.needs.append(made)
        return made

    def follow(self, words: Words, steps: Sequence[int], make: Callable[[Sequence[BoundStep]], Numbers]) -> None:
        """The numbers of an instruction come from the values of these steps, by their places."""
        self.given.append(Given(frozenset(steps), words.numbers, make))

    def take_stretch(self) -> NDArray[np.int64] | None:
        """What has been emitted since the last one, as `walk` takes it; None for nothing."""
        made = np.array(self.code, np.int64) if self.code else None
        self.code = []
        return made

    def look_at(
        self, coverages: Sequence[NDArray[np.uint8]], box: Box, reads: TileReads, outs: Sequence[Outs]
    ) -> list[NDArray]:
        """Put the addresses of a tile into the words. Returns what they point to, which must be kept alive. What no row
        of a tile has a weight for is not read: a placed texture costs more than all steps together."""
        left, top, right, bottom = box
        has: dict[int | None, bool] = {None: True}
        for need in self.needs:
            for region in need.regions:
                if region is not None and region not in has:
                    has[region] = bool(coverages[region][top:bottom, left:right].max(initial=0))
            need.here[0] = any(has[region] for region in need.regions)
        alive = []
        for place in self.places:
            if place.need is None or place.need.here[0]:
                alive.append(place.array(box, reads, outs))
                place.words[place.word] = address_of(alive[-1])
        return alive
