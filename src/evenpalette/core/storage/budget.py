"""How much memory the pixels of one project may take, counted before it is taken."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.document.state import State
from evenpalette.core.errors import ProjectError
from evenpalette.core.limits import RAISE, limits, readable_bytes
from evenpalette.core.raster.image_header import Allow
from evenpalette.core.storage.contents import held, known


class Budget:
    """What a project has left. A plane counts once for every region that has it, a texture's pixels once wherever they
    are.

    taken: bytes that are held already.
    """

    def __init__(self, where: str, taken: int = 0) -> None:
        self._where = where
        self._taken = taken
        self._decoded: dict[bytes, NDArray] = {}

    def decoded(self, key: bytes, decode: Callable[[Allow], NDArray], what: str) -> NDArray:
        """The pixels of a file of this fingerprint; one with the same as before is not counted again, and not decoded
        again while anybody holds it."""
        if key not in self._decoded:
            there = known((key,), np.ndarray)
            if there is not None:
                self.take(there.nbytes, what)
            self._decoded[key] = held((key,), np.ndarray, lambda: decode(lambda count: self.take(count, what)))
        return self._decoded[key]

    def take(self, count: int, what: str) -> None:
        """Ask for so many bytes. Raises ProjectError when the project has had its share."""
        most = limits().project_bytes
        self._taken += count
        if self._taken > most:
            raise ProjectError(
                f"{self._where}: with {what} the pixels of the project take more than {readable_bytes(most)}. {RAISE}"
            )


def pixel_bytes(state: State) -> int:
    """Bytes that a state's pixels take as `Budget` counts them."""
    total = sum({id(r.pixels): r.pixels.nbytes for r in state.textures.values()}.values())
    for sheet in state.sheets():
        total += sum(plane.nbytes for plane in sheet.coverages.values())
        owners = [r.id for r in sheet.project.regions.regions if r.source.keeps_texels]
        total += sum(sheet.made[r].raw.nbytes for r in owners if r in sheet.made)
        total += sheet.tone.pixels.nbytes if sheet.tone is not None else 0
    return total


def check_budget(before: State, after: State) -> None:
    """Refuse a change that would make a project too large to be opened again. Raises ProjectError."""
    most = limits().project_bytes
    if after.textures is before.textures and after.coverages is before.coverages and after.tone is before.tone:
        return
    asked = pixel_bytes(after)
    if asked > most and asked > pixel_bytes(before):
        raise ProjectError(
            f"The pixels of the project would take {readable_bytes(asked)}; the limit is {readable_bytes(most)}. {RAISE}"
        )
