"""Tones: grays, palettes and ramps that take any color, and what the game makes of them."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from evenpalette.app.session import Session
from evenpalette.app.station import Station
from evenpalette.app.stations.tones.game_page import GamePage
from evenpalette.app.stations.tones.palette_page import PalettePage
from evenpalette.app.stations.tones.ramp_page import RampPage
from evenpalette.app.stations.tones.tone_page import TonePage
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import row
from evenpalette.app.widgets.pages import Pages


class TonesBench(QWidget):
    """The bench of the station Tones."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self.tone, self.palette_page = TonePage(session, views), PalettePage(session, views)
        self.ramps, self.game = RampPage(session), GamePage(session, views)
        self.pages = Pages(
            {"Tone": self.tone, "Palette": self.palette_page, "Ramp": self.ramps, "In the game": self.game}
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 6, 16, 8)
        layout.setSpacing(4)
        layout.addWidget(row(self.pages.switch, None))
        layout.addWidget(self.pages, 1)


STATION = Station(lambda room: TonesBench(room.session, room.views))
