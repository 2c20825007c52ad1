"""What the first picture does not need, loaded beside the window, which would stand still for half a second."""

import contextlib
from collections.abc import Callable

from evenpalette.app.probe_bar import known_of
from evenpalette.app.session import Session
from evenpalette.app.station import Station
from evenpalette.app.stations import STATIONS
from evenpalette.app.tasks import Task
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.parallel import Progress


def load_rest(session: Session, then: Callable[[], object]) -> None:
    """Load all stations and what a pointer that asks for a texel would wait for; then is called once they are there."""
    state = session.state

    def load(_: Progress) -> list[Station]:
        stations = [place.station for place in STATIONS]
        if state.project.asset.textures:
            with contextlib.suppress(EvenPaletteError):
                known_of(state, state.bound_steps(state.project.active_variant), (0.5, 0.5))
        return stations

    def loaded(_: list[Station]) -> None:
        then()

    session.tasks.start(Task("Loading", load, loaded, session.failed, exclusive=False))
