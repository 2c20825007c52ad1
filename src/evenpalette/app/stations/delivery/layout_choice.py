"""By which layout files are written besides: one to begin with, one that is kept, one from a file, or none."""

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QMenu, QWidget

from evenpalette.app.plain import entry
from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import button, counted, label, tool
from evenpalette.core.delivery.layouts.of_project import beginnings_of, fitted
from evenpalette.core.delivery.layouts.read import beginnings, read_layout_file
from evenpalette.core.delivery.layouts.shelf import keep_layout, kept_layouts
from evenpalette.core.delivery.layouts.write import planned_files
from evenpalette.core.document.layout_model import Layout, read_layout
from evenpalette.core.edits.layouts import with_layout
from evenpalette.core.errors import EvenPaletteError, LayoutError
from evenpalette.core.files import reason, write_atomically


class LayoutChoice(QWidget):
    """A row: what may be chosen, what is, and a way without."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._offer = button(
            "Layout ...", self._open, "", "Choose a layout: which files, and what lies in their channels"
        )
        self._name = label("", "note")
        self._name.setToolTip("Files that a layout says are written besides, into the same folder")
        self._none = tool("x", "Deliver without the layout", lambda: self._set(None))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for part in (self._offer, self._name, self._none):
            row.addWidget(part)
        row.addStretch(1)

    @property
    def _text(self) -> str:
        return self._session.state.project.delivery.layout

    def refresh(self) -> None:
        """Show the layout of the project."""
        self._none.setVisible(bool(self._text))
        if not self._text:
            self._name.setText("no layout")
            return
        try:
            made = read_layout(self._text, "The layout of this project")
            self._name.setText(f"{made.name}: {counted(len(made.files), 'file')} a set")
        except LayoutError as error:
            self._name.setText(str(error))

    def _set(self, layout: Layout | None) -> None:
        self._session.apply("Delivery settings", lambda s: with_layout(s, layout), "delivery layout")

    def _open(self) -> None:
        """The layouts to begin with, and those that lie in files."""
        state = self._session.state
        kept, wrong = kept_layouts()
        menu = QMenu(self)
        rows = [(f"{known.name}: {known.description}", known) for known in (*beginnings_of(state), *beginnings())]
        for words, known in rows:
            menu.addAction(entry(words), partial(self._lay_out_fitted, known))
        if kept:
            menu.addSection("Kept for all projects")
        for known in kept:
            menu.addAction(entry(known.name), partial(self._lay_out_fitted, known))
        if wrong:
            self._session.said.emit(wrong[0], True)
        menu.addSeparator()
        menu.addAction("From a file ...", self._ask)
        if self._text:
            menu.addAction("Keep this one for all projects", self.keep)
            menu.addAction("Save this one as a file ...", self._save)
        menu.exec(self._offer.mapToGlobal(self._offer.rect().bottomLeft()))

    def keep(self) -> None:
        """Offer the layout of this project in all others."""
        try:
            path = keep_layout(read_layout(self._text, "The layout of this project"))
        except EvenPaletteError as error:
            self._session.said.emit(str(error), True)
            return
        self._session.said.emit(f"Kept for all projects: {path}", False)

    def _save(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Save the layout", "layout.json", "Layouts (*.json)")
        if path:
            try:
                write_atomically(Path(path), self._text.encode())
            except OSError as error:
                self._session.said.emit(f"{path} cannot be written: {reason(error)}.", True)

    def _ask(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Layout", "", "Layouts (*.json)")
        if path:
            self.take(Path(path))

    def take(self, path: Path) -> None:
        """Deliver by the layout of a file from now on; it is kept in the project."""
        try:
            self._lay_out(read_layout_file(path))
        except EvenPaletteError as error:
            self._session.said.emit(str(error), True)

    def _lay_out_fitted(self, known: Layout) -> None:
        self._lay_out(fitted(known, self._session.state))

    def _lay_out(self, layout: Layout) -> None:
        """Deliver by a layout from now on, if its files have names of their own."""
        try:
            planned_files(self._session.state, layout)
        except EvenPaletteError as error:
            self._session.said.emit(str(error), True)
            return
        self._set(layout)
