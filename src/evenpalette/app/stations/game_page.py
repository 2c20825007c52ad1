"""Tones, in the game: what formats, filtering, mip levels and flags leave of a texture, measured setting by setting."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QComboBox, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from evenpalette.app import theme
from evenpalette.app.facets import ASSET
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import button, label, row
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.project.model import Role
from evenpalette.core.project.state import State
from evenpalette.core.raster.game import Seen, what_if
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.strips import levels_of
from evenpalette.core.tones.palettes.in_game import measure_index_art
from evenpalette.core.tones.palettes.strip import restore

_LEVELS = 4
#: From here on a difference is seen side by side: common practice, no source.
_VISIBLE = 2.3


def measured(state: State, texture_id: str) -> list[Seen]:
    """The table of a texture: index art by its strip, everything else by the settings that a game might choose."""
    texture, raster = state.project.asset.texture(texture_id), state.textures[texture_id]
    assert texture is not None
    if texture.strip in state.textures:
        strip = state.textures[texture.strip]
        index = Raster(levels_of(raster)[..., None], Encoding.DATA)
        return measure_index_art(index, strip, restore(index, strip))
    return [seen for line in what_if(raster) for seen in line]


class GamePage(QWidget):
    """A line for each setting, a column for each level."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.texture = QComboBox()
        self.texture.setAccessibleName("Texture to measure")
        self.measure = button(
            "Measure", self.run, "primary", "Store, sample and compare with the truth at four distances"
        )
        self._note = label(
            "Mean CIEDE2000 at each mip level; level 0 from twice as near. Dark lines are seen side by side.", "note"
        )
        self.table = QTableWidget(0, 3 + _LEVELS)
        self.table.setAccessibleName("What settings leave of the texture")
        self.table.setHorizontalHeaderLabels(["Setting", *(f"Level {n}" for n in range(_LEVELS)), "PSNR at 1", "Bytes"])
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        vertical, horizontal = self.table.verticalHeader(), self.table.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(23)
        horizontal.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(row(self.texture, self.measure, self._note, None, spacing=8))
        layout.addWidget(self.table, 1)
        self._shown = WhenShown(self, self.refresh)
        session.changed.connect(lambda facets: self._shown.ask() if ASSET in facets else None)
        self.refresh()

    def refresh(self) -> None:
        """Offer the textures as they are now; what was measured of others goes."""
        chosen, state = self.texture.currentData(), self._session.state
        self.texture.clear()
        for texture in state.project.asset.textures:
            if texture.role is not Role.STRIP:
                self.texture.addItem(texture.name, texture.id)
        self.texture.setCurrentIndex(max(0, self.texture.findData(chosen)))
        self.measure.setEnabled(self.texture.count() > 0)

    def run(self) -> None:
        """Measure the chosen texture, beside the window."""
        state, texture_id = self._session.state, str(self.texture.currentData())
        task = Task(
            f"Measuring {self.texture.currentText()}",
            lambda _: measured(state, texture_id),
            self._show,
            self._session.failed,
        )
        self._session.tasks.start(task)

    def _show(self, found: list[Seen]) -> None:
        names = list(dict.fromkeys(seen.setting for seen in found))
        self.table.setRowCount(len(names))
        for line, name in enumerate(names):
            levels = {seen.level: seen for seen in found if seen.setting == name}
            cells = [name, *(f"{levels[n].mean_ciede2000:.2f}" if n in levels else "" for n in range(_LEVELS))]
            first = next(iter(levels.values()))
            cells += [f"{levels[1].psnr:.1f} dB" if 1 in levels else "", f"{first.bytes:,}"]
            for place, text in enumerate(cells):
                item = QTableWidgetItem(text)
                if place:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if 1 <= place <= _LEVELS and text and float(text) >= _VISIBLE:
                    item.setForeground(QColor(theme.WARN))
                self.table.setItem(line, place, item)
