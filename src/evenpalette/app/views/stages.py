"""Which stage of the texel each station opens with, and what was chosen there since."""

from evenpalette.core.document.state import State
from evenpalette.gpu.look import Show

#: A stage, or an attribute by its key.
Stage = Show | str


class Stages:
    """The stages of Form and Flat at each station; an artist's choice stays for as long as the window is open."""

    def __init__(self) -> None:
        self._chosen: dict[str, tuple[Stage, Stage]] = {}

    def keep(self, station: str, form: Stage, flat: Stage) -> None:
        """What is shown at a station that is left."""
        self._chosen[station] = form, flat

    def of(self, station: str, state: State) -> tuple[Stage, Stage]:
        """What a station shows of Form and Flat: what was chosen there, else what its work needs."""
        if station in self._chosen:
            return self._chosen[station]
        if station == "tones" and state.tone is not None:
            return Show.RECIPE, Show.TONE
        return Show.RECIPE, Show.RECIPE

    def forget(self) -> None:
        """Begin anew, as for another document."""
        self._chosen.clear()
