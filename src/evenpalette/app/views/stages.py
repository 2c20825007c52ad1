"""Which stage of the texel each station opens with, and what was chosen there since."""

from collections.abc import Callable, Mapping

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.gpu.look import Show

#: A stage, or an attribute by its key.
Stage = Show | str


def _recipe(_: State) -> tuple[Stage, Stage]:
    return Show.RECIPE, Show.RECIPE


@dataclass(frozen=True)
class StationLook:
    """What the views show at a station. first: the stages of Form and Flat that it opens with. lays_regions: whether
    regions are laid over the picture. limits_steps: whether the recipe may be shown up to a step."""

    first: Callable[[State], tuple[Stage, Stage]] = _recipe
    lays_regions: bool = False
    limits_steps: bool = False


class Stages:
    """The stages of Form and Flat at each station; an artist's choice stays for as long as the window is open."""

    def __init__(self, looks: Mapping[str, StationLook]) -> None:
        self._looks = looks
        self._chosen: dict[str, tuple[Stage, Stage]] = {}

    def keep(self, station: str, form: Stage, flat: Stage) -> None:
        """What is shown at a station that is left."""
        self._chosen[station] = form, flat

    def of(self, station: str, state: State) -> tuple[Stage, Stage]:
        """What a station shows of Form and Flat: what was chosen there, else what its work needs."""
        if station in self._chosen:
            return self._chosen[station]
        return self.look(station).first(state)

    def look(self, station: str) -> StationLook:
        """What a station says of the views."""
        return self._looks.get(station, StationLook())

    def forget(self) -> None:
        """Begin anew, as for another document."""
        self._chosen.clear()
