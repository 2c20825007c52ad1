"""A first walk along the path, on wish: one hint at each station, each done by doing it."""

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QSizePolicy, QWidget

from evenpalette.app.session import Session
from evenpalette.app.station import Hint
from evenpalette.app.stations import STATIONS
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, label, row


class Walk(QObject):
    """Where on the walk the artist is."""

    changed = pyqtSignal()

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__(session)
        self._session, self._views = session, views
        #: Place among the hints, None while nobody walks.
        self.place: int | None = None
        self._mark: object = None
        for signal in (session.changed, session.selection.changed, session.station_changed, views.painted):
            signal.connect(self._look)

    @property
    def hint(self) -> Hint | None:
        """The hint that is shown."""
        return STATIONS[self.place].hint if self.place is not None else None

    def begin(self) -> None:
        """Walk from the first hint on."""
        self._go(0)

    def skip(self) -> None:
        """Go on without doing it."""
        if self.place is not None:
            self._go(self.place + 1)

    def end(self) -> None:
        """Walk no more."""
        self.place = None
        self.changed.emit()

    def _go(self, place: int) -> None:
        if place >= len(STATIONS):
            self._session.said.emit(
                "That was the whole path. The walk is in the project menu, should you want it again.", False
            )
            self.end()
            return
        self.place = None
        self._session.set_station(STATIONS[place].key)
        self.place, self._mark = place, STATIONS[place].hint.mark(self._session, self._views)
        self.changed.emit()

    def _look(self, *_: object) -> None:
        """Whether the deed is done."""
        hint = self.hint
        if hint is None or self.place is None or self._session.station != STATIONS[self.place].key:
            return
        if hint.mark(self._session, self._views) != self._mark:
            self._go(self.place + 1)


class WalkLine(QWidget):
    """The hint as one line above the bench."""

    def __init__(self, walk: Walk) -> None:
        super().__init__()
        self._walk = walk
        self.setObjectName("walk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName("First walk")
        self._count, self._text = label("", "note"), label("")
        self._text.setWordWrap(True)
        self._text.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        line = row(
            self._count, self._text, button("Skip", walk.skip, "link", "On to the next station without doing it"),
            button("End the walk", walk.end, "link", "No more hints"), spacing=10, margins=(16, 4, 12, 4),
        )  # fmt: skip
        self.setLayout(line.layout())
        walk.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the hint, or nothing."""
        hint = self._walk.hint
        self.setVisible(hint is not None)
        if hint is not None and self._walk.place is not None:
            self._count.setText(f"First walk, {self._walk.place + 1} of {len(STATIONS)}")
            self._text.setText(hint.text)
