"""What the first picture does not need, loaded beside the window, which would stand still for half a second."""

from collections.abc import Callable

from evenpalette.app.session import Session
from evenpalette.app.station import Station
from evenpalette.app.stations import STATIONS
from evenpalette.app.tasks import Task
from evenpalette.core.parallel import Progress


def load_rest(session: Session, then: Callable[[], object]) -> None:
    """Load all stations; then is called once they are there."""

    def load(_: Progress) -> list[Station]:
        return [place.station for place in STATIONS]

    def loaded(_: list[Station]) -> None:
        then()

    session.tasks.start(Task("Loading", load, loaded, session.failed, exclusive=False))
