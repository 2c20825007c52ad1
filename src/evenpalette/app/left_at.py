"""At which station the work on a project was left."""

from pathlib import Path

from PyQt6.QtCore import QObject

from evenpalette.app.session import Session
from evenpalette.app.settings import remember_station
from evenpalette.app.timers import timer

#: Milliseconds that somebody stays at a station before it is written down: files of settings are slow.
_STAYS_MS = 600


class LeftAt(QObject):
    """Writes it down a little after a station is gone to, and at the end."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._place: tuple[Path, str] | None = None
        self._timer = timer(self, _STAYS_MS)
        self._timer.timeout.connect(self.keep)
        session.station_changed.connect(self._note)

    def keep(self) -> None:
        """Write down what is not yet."""
        if self._place is not None:
            remember_station(*self._place)
            self._place = None

    def _note(self, station: str) -> None:
        if self._place is not None and self._place[0] != self._session.path:
            self.keep()
        if self._session.path is not None:
            self._place = self._session.path, station
            self._timer.start()
