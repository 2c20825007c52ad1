"""Where Form is looked at from while it shows the crowd, and where the asset alone was; which stations offer it."""

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QObject

from evenpalette.app.session import Session
from evenpalette.app.views.crowd_view import CrowdView
from evenpalette.app.views.frame import Frame
from evenpalette.app.views.headers import ViewHeaders
from evenpalette.core.mesh.camera import OrbitCamera

#: Stations where a crowd may be looked at, and how much of the room it has.
STATIONS, _SPLIT = ("variants", "delivery"), 0.85


class CrowdPlace(QObject):
    """Takes the views to the crowd when it is there, and back when it is gone."""

    def __init__(
        self, session: Session, crowd: CrowdView, headers: ViewHeaders, frame: Callable[[], Frame], go: Callable[[Frame], None],
        parent: QObject,
    ) -> None:  # fmt: skip
        """frame: where everything lies now. go: puts it elsewhere."""
        super().__init__(parent)
        self._crowd, self._headers, self._frame, self._go = crowd, headers, frame, go
        #: As the asset alone was looked at, while the crowd is shown.
        self.alone: Frame | None = None
        crowd.switched.connect(self._switched)
        crowd.came.connect(self._look)
        headers.crowd.toggled.connect(crowd.switch)
        session.station_changed.connect(self._offer)

    def camera(self) -> OrbitCamera:
        """One that shows all copies."""
        form = self._frame().form
        return self._crowd.camera((form.width(), form.height()))

    def _offer(self, station: str) -> None:
        """The crowd belongs to the stations where variants are looked at."""
        offers = station in STATIONS
        self._headers.crowd.setVisible(offers)
        if not offers:
            self._headers.crowd.setChecked(False)

    def _switched(self, on: bool) -> None:
        self._headers.crowd.setChecked(on)
        if not on and self.alone is not None:
            alone, self.alone = self.alone, None
            self._go(replace(self._frame(), camera=alone.camera, split=alone.split))
        elif on and self._crowd.is_shown:
            self._look()

    def _look(self) -> None:
        """The first look: all of it, in most of the room."""
        if self.alone is None and self._crowd.is_shown:
            self.alone = self._frame()
            self._go(self.alone.split_to(_SPLIT))
            self._go(replace(self._frame(), camera=self.camera()))
