"""Tones, in the game: what formats, filtering, mip levels and flags leave of a texture, measured and shown."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from evenpalette.app import theme
from evenpalette.app.facets import ASSET
from evenpalette.app.newest import Newest, Wish
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, caption, choice, column, label, row
from evenpalette.app.widgets.before_after import BeforeAfter, crop_of, image_of
from evenpalette.app.widgets.forms import slider
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.delivery.index_art import WAYS, write_index_art
from evenpalette.core.delivery.texture_loss import LOUDEST, Measured, Pictures, measure_texture, pictures_of
from evenpalette.core.document.project import Role
from evenpalette.core.raster.busiest import busiest_place
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.texture_formats import LEVELS, VISIBLE, Advice

_PAUSE_MS = 80
_ZOOM = 2


class GamePage(QWidget):
    """Left a line for each way and a column for each level; right how the chosen way looks from a distance."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._views = session, views
        self._measured: Measured | None = None
        self._pictures: Pictures | None = None
        self._middle = 0.5, 0.5
        self.texture = choice("Texture to measure")
        self.measure = button(
            "Measure", self.run, "primary", "Store, sample and compare with the truth at four distances"
        )
        self._note = label("CIEDE2000 by mip level", "note")
        self._note.setToolTip("Level 0 is looked at from twice as near, where filtering shows")
        self.table = QTableWidget(0, 4 + len(LEVELS))
        self.table.setAccessibleName("What settings leave of the texture")
        self.table.setHorizontalHeaderLabels(["Setting", *(str(n) for n in LEVELS), "PSNR at 1", "Reads", "Bytes"])
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.table.setShowGrid(False)
        vertical, horizontal = self.table.verticalHeader(), self.table.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(21)
        horizontal.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for place, width in (*((n, 44) for n in range(1, 1 + len(LEVELS))), (5, 70), (6, 46), (7, 72)):
            self.table.setColumnWidth(place, width)
        self.table.currentCellChanged.connect(lambda *_: self._ask())
        self.picture = BeforeAfter("The truth and what the game sees")
        self.picture.looked.connect(self._look)
        self.picture.resized.connect(self._place)
        self._distance = slider(
            -1, 5, 0, name="Distance", decimals=1, taken=lambda _: self._ask(),
            tip="0: a texel is a pixel; 1: twice as far; -1: twice as near",
        )  # fmt: skip
        self._difference = QCheckBox("difference")
        self._difference.setToolTip(plain(f"The CIEDE2000 of the two, white from {LOUDEST:.0f} on"))
        self._difference.clicked.connect(lambda _: self._place())
        self._deliver = button(
            "Deliver ...",
            self._ask_folder,
            "link",
            "The files of this way, every mip level, and the shader text that reads them",
        )
        self._advice = label("", "note")
        self._advice.setWordWrap(True)
        self._advice.setAccessibleName("Recommended setting")
        left = column(row(self.texture, self.measure, self._note, None, spacing=8), self.table, spacing=4)
        right = column(
            row(caption("distance", self._distance), self._distance, self._difference, self._deliver, spacing=8),
            self.picture,
            self._advice,
            spacing=4,
        )
        right.setFixedWidth(404)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(20)
        layout.addWidget(left, 1)
        layout.addWidget(right)
        self._deliver.hide()
        self._newest = Newest(session, "Looking", _PAUSE_MS, self._wish, self)
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
        if self._measured is None:
            self._advice.setText("Measure a texture to see what each setting leaves of it, and which one to take.")

    def run(self) -> None:
        """Measure the chosen texture, beside the window."""
        state, texture_id = self._session.state, str(self.texture.currentData())
        task = Task(
            f"Measuring {self.texture.currentText()}",
            lambda progress: measure_texture(state, texture_id, progress=progress),
            self._show,
            self._session.failed,
        )
        self._session.tasks.start(task)

    def _show(self, measured: Measured) -> None:
        self._measured = measured
        self._middle = busiest_place(measured.picture)
        names = [way.name for way in measured.ways]
        self.table.setRowCount(len(names))
        for line, way in enumerate(measured.ways):
            levels = {seen.level: seen for seen in measured.found if seen.setting == way.name}
            taken = way.name == measured.advice.name
            cells = [way.name, *(f"{levels[n].mean_ciede2000:.2f}" if n in levels else "" for n in LEVELS)]
            cells += [f"{levels[1].psnr:.1f} dB" if 1 in levels else "", str(way.fetches), f"{way.bytes:,}"]
            for place, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setFont(theme.font(theme.NOTE, strong=taken))
                item.setToolTip(
                    plain(
                        f"{way.name}{'  (recommended)' if taken else ''}: {way.fetches} texture reads a pixel, {way.bytes:,} bytes in memory"
                        + (f", {way.disk_bytes:,} on disk" if way.disk_bytes else "")
                    )
                )
                if place:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if 1 <= place <= len(LEVELS) and text and float(text) >= VISIBLE:
                    item.setForeground(QColor(theme.WARN))
                self.table.setItem(line, place, item)
        self._advice.setText(_words(measured.advice))
        self._advice.setToolTip(plain("\n".join(measured.advice.reasons)))
        self.table.selectRow(names.index(measured.advice.name))
        self._ask()

    def _ask(self) -> None:
        self._deliver.setVisible(bool(self._way()))
        if self._measured is not None:
            self._newest.ask()

    def _wish(self) -> Wish | None:
        """The chosen way from the chosen distance."""
        measured, line = self._measured, self.table.currentRow()
        if measured is None or not 0 <= line < len(measured.ways):
            return None
        name, distance = measured.ways[line].name, self._distance.value

        def done(found: Pictures) -> None:
            self._pictures = found
            self._place()
            self._views.show_extras(
                {
                    "game": ("In the game", Raster(found.seen, Encoding.SRGB)),
                    "lost": ("Lost there", Raster(found.difference, Encoding.DATA)),
                }
            )

        return lambda: pictures_of(measured, name, distance), done

    def _way(self) -> str:
        """The way that index art can be delivered in, of the chosen line; '' for others."""
        measured, line = self._measured, self.table.currentRow()
        name = measured.ways[line].name if measured is not None and 0 <= line < len(measured.ways) else ""
        return next((way for way in WAYS if name.startswith(way)), "")

    def _ask_folder(self) -> None:
        path = QFileDialog.getExistingDirectory(self, "A new or empty folder for the index art")
        if path:
            self.deliver(Path(path))

    def deliver(self, folder: Path) -> None:
        """Write the index art of the chosen way into a folder."""
        state, way = self._session.state, self._way()
        texture = state.project.asset.texture(str(self.texture.currentData()))
        if texture is None or texture.strip not in state.textures or not way:
            return
        index, strip = state.textures[texture.id], state.textures[texture.strip]
        self._session.tasks.start(Task(
            f"Writing {texture.name}", lambda _: write_index_art(folder, way, index, strip),
            lambda names: self._session.said.emit(f"Wrote {len(names)} files to {folder}", False), self._session.failed,
        ))  # fmt: skip

    def _look(self, dx: float, dy: float) -> None:
        if self._pictures is not None:
            height, width = self._pictures.seen.shape[:2]
            u = self._middle[0] + dx * self.picture.width() / _ZOOM / width
            v = self._middle[1] + dy * self.picture.height() / _ZOOM / height
            self._middle = min(max(u, 0.0), 1.0), min(max(v, 0.0), 1.0)
            self._place()

    def _place(self) -> None:
        """Show the part that is looked at, pixels doubled."""
        found = self._pictures
        if found is None:
            return
        size = max(4, self.picture.width() // _ZOOM), max(4, self.picture.height() // _ZOOM)
        other = found.difference if self._difference.isChecked() else found.seen
        shown = [image_of(crop_of(picture, self._middle, size)) for picture in (found.wanted, other)]
        words = f"difference, mean {found.mean:.2f}" if self._difference.isChecked() else "the game"
        self.picture.show_pictures(shown[0], shown[1], ("the truth", words))


def _words(advice: Advice) -> str:
    return f"Take {advice.name}. {' '.join(advice.reasons[:3])}"
