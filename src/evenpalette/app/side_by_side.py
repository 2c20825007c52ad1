"""All variants side by side over the twin views, or the copies that a game would place: to choose, and to see which
ones nobody can tell apart."""

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent
from PyQt6.QtWidgets import QFileDialog, QListWidgetItem, QVBoxLayout, QWidget

from evenpalette.app.facets import NAME, VALUES
from evenpalette.app.picture_grid import Entry, PictureGrid
from evenpalette.app.session import Session
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, choice, label, row, tool
from evenpalette.app.widgets.captioned import captioned
from evenpalette.core.document.variant import DEFAULTS_NAME
from evenpalette.core.edits.variants import activate, find_variant
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import safe_name
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.recipe.pick import pick_index
from evenpalette.gpu.look import Look

VARIANTS, COPIES, MIXED = "variants", "copies", "mixed"
#: Copies that are shown.
_COPIES = 40
#: Size of a picture in the file, and how many stand in a line.
_FILE_TILE, _FILE_COLUMNS = (320, 256), 6


class SideBySide(QWidget):
    """Covers the views while it is open."""

    #: It was opened or closed.
    toggled = pyqtSignal(bool)

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__(views)
        self._session, self._views = session, views
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.mode = choice(
            "Side by side",
            (
                ("All variants", VARIANTS),
                ("Copies of this variant", COPIES),
                ("Copies, a variant by chance each", MIXED),
            ),
        )
        self.mode.currentIndexChanged.connect(lambda _: self.refresh())
        self._note = label("", "note")
        self.grid = PictureGrid(views, "Pictures side by side")
        self.grid.currentItemChanged.connect(lambda item, _: self._choose(item))
        self.grid.itemActivated.connect(lambda _: self.close_sheet())
        self._save = button(
            "Save as a picture ...", self.ask_file, icon="image", tip="All of them with their names, as a PNG"
        )
        close = tool("x", "Close (Esc)", self.close_sheet)
        head = QWidget()
        head.setObjectName("chrome")
        inner = QVBoxLayout(head)
        inner.setContentsMargins(12, 5, 8, 5)
        inner.addWidget(row(self.mode, self._note, None, self._save, close, spacing=8))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(head)
        layout.addWidget(self.grid, 1)
        self.hide()
        views.installEventFilter(self)
        session.changed.connect(self._on_change)
        views.shown.eyes_changed.connect(lambda: self._on_change(frozenset({VALUES})))

    def toggle(self) -> None:
        """Open it, or close it."""
        if self.isVisible():
            self.close_sheet()
            return
        self.setGeometry(self._views.rect())
        self.show()
        self.raise_()
        self.refresh()
        self.grid.setFocus()
        self.toggled.emit(True)

    def close_sheet(self) -> None:
        """Show the views again."""
        if self.isVisible():
            self.hide()
            self._views.setFocus()
            self.toggled.emit(False)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.close_sheet()
        else:
            super().keyPressEvent(event)

    def eventFilter(self, _: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() is QEvent.Type.Resize:
            self.setGeometry(self._views.rect())
        return False

    def _on_change(self, facets: frozenset[str]) -> None:
        if self.isVisible() and facets - {NAME}:
            self.refresh()

    def refresh(self) -> None:
        """Show what there is now."""
        state, mode = self._session.state, self.mode.currentData()
        active = state.project.active_variant
        shown = self._views.shown
        look = Look(copy=shown.copy, light=shown.light, eyes=shown.eyes)
        if mode == VARIANTS:
            entries = [Entry("", DEFAULTS_NAME, look)]
            entries += [Entry(v.id, v.name, replace(look, variant=v.id)) for v in state.project.variants]
            self._note.setText("Enter or a double click shows the chosen one")
            current = active or ""
        else:
            ids: list[str | None] = [*(v.id for v in state.project.variants)] or [None]
            entries = []
            for copy in range(_COPIES):
                variant = ids[int(pick_index(copy, 0, len(ids)))] if mode == MIXED else active
                found = find_variant(state, variant)
                name = f"{copy}  {found.name if found else DEFAULTS_NAME}" if mode == MIXED else f"copy {copy}"
                entries.append(Entry(f"copy {copy}", name, replace(look, variant=variant, copy=copy)))
            picks = mode == MIXED or any(
                b.pick is not None for step in state.project.recipe.steps for b in step.bindings
            )
            self._note.setText(
                "As a game places them; Enter or a double click shows the chosen one" if picks
                else "No value is picked by copy: all copies are alike"
            )  # fmt: skip
            current = f"copy {self._views.shown.copy}"
        self.grid.show_entries(entries, current)

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        key = str(item.data(Qt.ItemDataRole.UserRole))
        if self.mode.currentData() == VARIANTS:
            if (key or None) != self._session.state.project.active_variant:
                self._session.apply("Show variant", lambda s: activate(s, key or None), "activate")
            return
        entry = next(entry for entry in self.grid.entries if entry.key == key)
        self._views.headers.copy.setValue(entry.look.copy)

    def ask_file(self) -> None:
        """Ask where the picture goes."""
        proposal = f"{safe_name(self._session.state.project.name)}-{self.mode.currentData()}.png"
        path, _ = QFileDialog.getSaveFileName(self, "Save as a picture", str(Path.home() / proposal), "PNG (*.png)")
        if path:
            self.save(Path(path))

    def save(self, path: Path) -> None:
        """Write all pictures with their names as one PNG."""

        def write(pictures: list[tuple[QImage, str]]) -> None:
            sheet = captioned(
                [(image, (name,)) for image, name in pictures], _FILE_TILE, min(_FILE_COLUMNS, len(pictures)), 20
            )
            try:
                write_image(sheet, path.with_suffix(path.suffix or ".png"))
            except EvenPaletteError as error:
                self._session.said.emit(str(error), True)
                return
            self._session.said.emit(f"{len(pictures)} pictures are in {path}", False)

        ratio = self._views.devicePixelRatioF()
        self.grid.collect((round(_FILE_TILE[0] / ratio), round(_FILE_TILE[1] / ratio)), write)
