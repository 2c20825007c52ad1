"""Variants: every parameter of every variant in one table; own values stand out, others follow the parent."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QModelIndex, QPoint, Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QFileDialog,
    QHeaderView,
    QMenu,
    QTableView,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from evenpalette.app.facets import ACTIVE, ASSET, RECIPE, VALUES, VARIANTS
from evenpalette.app.rail import VariantRail
from evenpalette.app.reach_line import ReachLine
from evenpalette.app.reviewing import take_review
from evenpalette.app.session import Session
from evenpalette.app.station import Station, Workplace
from evenpalette.app.stations.variants.crowd_line import CrowdLine
from evenpalette.app.stations.variants.film_dialog import FilmDialog
from evenpalette.app.stations.variants.review_dialogs import CompareDialog, SheetDialog
from evenpalette.app.stations.variants.roll_dialog import RollDialog
from evenpalette.app.stations.variants.value_table import ValueDelegate, ValueTable
from evenpalette.app.verbs import Verb
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, choice, label, row, tool
from evenpalette.app.widgets.color_editor import ColorEditor
from evenpalette.app.widgets.popup import show_above
from evenpalette.app.widgets.value_editor import ValueEditor, ValuePopup
from evenpalette.core.collection.shared import part
from evenpalette.core.document.state import State
from evenpalette.core.edits import variants as edit
from evenpalette.core.edits.value_table import as_css, as_csv, as_json, take_table
from evenpalette.core.edits.variant_text import paste_variant, variant_as_text
from evenpalette.core.files import read_regular, reason, write_atomically
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import Value, ValueType, value_text

#: A table of more bytes is nobody's values.
_MOST_TABLE = 8 << 20


class VariantsBench(QWidget):
    """The bench of the station Variants."""

    def __init__(self, session: Session, views: TwinViews, rail: VariantRail) -> None:
        super().__init__()
        self._session, self._views = session, views
        self._model = ValueTable(session)
        self.table = QTableView()
        self.table.setAccessibleName("Values of all variants")
        self.table.setModel(self._model)
        self._delegate = ValueDelegate(self._model)
        self.table.setItemDelegate(self._delegate)
        self._delegate.wanted.connect(self._edit_cell)
        self.table.setEditTriggers(
            QAbstractItemView.EditTrigger.EditKeyPressed | QAbstractItemView.EditTrigger.AnyKeyPressed
        )
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.doubleClicked.connect(self._edit_cell)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(self._menu)
        vertical, horizontal = self.table.verticalHeader(), self.table.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.setDefaultSectionSize(24)
        vertical.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        horizontal.setDefaultSectionSize(122)
        horizontal.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        horizontal.sectionClicked.connect(self._activate)
        self._parent = choice(tip="Values that this variant does not set itself follow this one")
        self._parent.activated.connect(self._set_parent)
        self._facts = label("", "note")
        self._review = button(
            "Review ...", self._ask_review, tip="All pairs through other eyes; a contact sheet that goes around"
        )
        header = row(
            label("Variants", "heading"), self._facts, None, label("follows", "note"), self._parent, 8,
            button("New", rail.add, icon="plus", tip="New variant (Ctrl+Shift+N)"),
            button("Roll ...", self.roll, icon="dices", tip="Variants by chance that can be told apart (R)"),
            button("Matrix", rail.matrix_wanted.emit, icon="table-properties", tip="All values of all variants, large (X)"),
            self._review,
            button("Derive", rail.derive, icon="git-branch", tip="A variant that follows the active one"),
            tool("copy", "Duplicate", rail.duplicate), tool("rotate-ccw", "Reset: let every value follow the parent again", rail.reset),
            tool("trash-2", "Delete the variant", rail.remove),
            spacing=6,
        )  # fmt: skip
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 8)
        layout.setSpacing(6)
        layout.addWidget(header)
        self.crowd = CrowdLine(session, views)
        layout.addWidget(self.crowd)
        layout.addWidget(self.table, 1)
        self.reach = ReachLine(session, views)
        layout.addWidget(self.reach)
        for word, keys, run in (
            ("Copy values", "Ctrl+C", self.copy_text),
            ("Paste a variant", "Ctrl+V", self.paste_text),
        ):
            action = QAction(word, self.table)
            action.setShortcut(keys)
            action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
            action.triggered.connect(lambda _=False, run=run: run())
            self.table.addAction(action)
        reset = QAction("Follow the parent again", self.table)
        reset.setShortcut("Del")
        reset.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        reset.triggered.connect(lambda _=False: self._reset_cell())
        self.table.addAction(reset)
        self._reset_action = reset
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda *_: self._look())
        session.changed.connect(self._on_change)
        self.refresh()

    def toggle_crowd(self) -> None:
        """Show the asset many times in Form, or alone."""
        self._views.headers.crowd.toggle()

    def roll(self) -> None:
        """Ask for variants by chance."""
        if not self._session.state.project.recipe.parameters:
            self._session.said.emit(
                "There is no parameter that variants could differ in. Give a value a name at Recipe.", True
            )
            return
        dialog = RollDialog(self._session, self._views, self)
        dialog.exec()
        dialog.deleteLater()

    def _ask_review(self) -> None:
        menu = QMenu(self)
        menu.addAction("Who can tell them apart ...", self.compare)
        menu.addAction("Contact sheet ...", self.contact_sheet)
        menu.addAction("Moving picture ...", self.film)
        menu.addAction("Take a review from the clipboard", self.take_review)
        menu.exec(self._review.mapToGlobal(QPoint(0, self._review.height())))

    def compare(self) -> None:
        """Show all pairs of variants, the nearest first."""
        if len(self._session.state.project.variants) < 2:
            self._session.said.emit("There are no two variants to compare yet.", True)
            return
        dialog = CompareDialog(self._session, self)
        dialog.exec()
        dialog.deleteLater()

    def contact_sheet(self) -> None:
        """Ask for a contact sheet of all variants."""
        dialog = SheetDialog(self._session, self._views, self)
        dialog.exec()
        dialog.deleteLater()

    def film(self) -> None:
        """Ask for a moving picture of the active variant."""
        dialog = FilmDialog(self._session, self)
        dialog.exec()
        dialog.deleteLater()

    def take_review(self) -> None:
        """What is said of variants in the text on the clipboard, as the page of a kit copies it."""
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        take_review(self._session, clipboard.text())

    def copy_text(self) -> None:
        """Every value of the active variant as text, for the page of a kit, a mail, another copy of the project."""
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        state = self._session.state
        clipboard.setText(variant_as_text(state, state.project.active_variant))
        self._session.said.emit("Copied the values of the variant as text.", False)

    def paste_text(self) -> None:
        """A variant of the text on the clipboard, as the page of a kit copies it."""
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        text = clipboard.text()
        missing: list[str] = []

        def paste(state: State) -> State:
            made, lacks = paste_variant(state, text)
            missing[:] = lacks
            return made

        if self._session.apply("Paste a variant", paste) and missing:
            self._session.said.emit(f"Pasted, but {'; '.join(missing[:3])}.", True)

    def save_table(self) -> None:
        """All values as a file for a spreadsheet or a script, by its ending."""
        path, _ = QFileDialog.getSaveFileName(
            self, "Save values as a table", "values.csv", "Tables (*.csv *.json);;Colors as CSS variables (*.css)"
        )
        if path:
            state = self._session.state
            text = {".json": as_json, ".css": as_css}.get(Path(path).suffix.lower(), as_csv)(state)
            try:
                write_atomically(Path(path), text.encode())
            except OSError as error:
                self._session.said.emit(f"{path} cannot be written: {reason(error)}.", True)
                return
            self._session.said.emit(f"Saved the values to {path}.", False)

    def load_table(self) -> None:
        """Values of a file taken in as one change."""
        path, _ = QFileDialog.getOpenFileName(self, "Take values from a table", "", "Tables (*.csv *.json)")
        if path:
            self.take_table(Path(path))

    def take_table(self, path: Path) -> None:
        """Values of a file as one change; nothing of it where a cell is wrong."""
        try:
            text = read_regular(path, _MOST_TABLE).decode("utf-8-sig")
        except (OSError, UnicodeDecodeError) as error:
            why = reason(error) if isinstance(error, OSError) else "it is no text in UTF-8"
            self._session.said.emit(f"{path} cannot be read: {why}.", True)
            return
        self._session.apply("Values from a table", lambda s: take_table(s, text))

    def _look(self) -> None:
        """Tell the reach of the chosen line's parameter."""
        index = self.table.currentIndex()
        self.reach.look_at(self._model.parameter(index.row()).id if index.isValid() else None)

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets & {VARIANTS, RECIPE, ASSET}:
            self.refresh()
        elif facets & {VALUES, ACTIVE}:
            self.table.viewport().update()  # type: ignore[union-attr]
            self._show_parent()

    def refresh(self) -> None:
        """Show the table as it is now."""
        self._model.beginResetModel()
        self._model.endResetModel()
        shared = "; leaning: shared" if self._session.state.project.follows else ""
        self._facts.setText(f"Strong: its own{shared}")
        self._facts.setToolTip("A value in bold is its own, Del drops it; a leaning one follows a shared value")
        self._show_parent()

    def _show_parent(self) -> None:
        state = self._session.state
        active = state.project.active_variant
        variant = edit.find_variant(state, active)
        self._parent.clear()
        self._parent.addItem("the defaults", None)
        for other in state.project.variants:
            if other.id != active:
                self._parent.addItem(other.name, other.id)
        self._parent.setEnabled(variant is not None)
        self._parent.setCurrentIndex(max(0, self._parent.findData(variant.parent if variant else None)))

    def _set_parent(self, index: int) -> None:
        active, parent = self._session.state.project.active_variant, self._parent.itemData(index)
        if active is not None:
            self._session.apply("Change parent", lambda s: edit.set_parent(s, active, parent))
            self._show_parent()

    def _activate(self, section: int) -> None:
        variant = self._model.columns()[section]
        self._session.apply("Show variant", lambda s: edit.activate(s, variant), "activate")

    @property
    def _cells(self) -> QWidget:
        viewport = self.table.viewport()
        assert viewport is not None
        return viewport

    def _edit_color(self, index: QModelIndex) -> None:
        parameter, variant = self._model.parameter(index.row()), self._model.columns()[index.column()]
        editor = ColorEditor(self._views.start_pick, self)
        editor.set_color(str(self._model.value(index)))
        editor.edited.connect(lambda color: self._set_value(variant, parameter, color))
        editor.finished.connect(self._session.history.seal)
        show_above(editor, self._cells, self.table.visualRect(index))

    def _set_value(self, variant: str | None, parameter: Parameter, value: Value) -> None:
        self._session.apply(
            f"{parameter.name} to {value_text(value, parameter.unit)}",
            lambda s: edit.set_value(s, variant, parameter.id, value),
            f"value {variant} {parameter.id}",
        )

    def _edit_cell(self, index: QModelIndex) -> None:
        parameter, variant = self._model.parameter(index.row()), self._model.columns()[index.column()]
        self._activate(index.column())
        if parameter.type is ValueType.COLOR:
            self._edit_color(index)
            return
        editor = ValueEditor(parameter.input, lambda: self._session.state, pick=self._views.start_pick)
        editor.setMinimumWidth(210)
        editor.set_value(self._model.value(index))
        editor.edited.connect(lambda value: self._set_value(variant, parameter, value))
        editor.finished.connect(self._session.history.seal)
        popup = ValuePopup(editor, self)
        show_above(popup, self._cells, self.table.visualRect(index))
        editor.setFocus()

    def _menu(self, place) -> None:  # type: ignore[no-untyped-def]
        index = self.table.indexAt(place)
        if index.isValid():
            self.table.setCurrentIndex(index)
            menu = QMenu(self)
            menu.addAction("Edit", lambda: self._edit_cell(index))
            menu.addActions(self.table.actions())
            if self._model.follow(index) is not None:
                menu.addAction("Let it follow no shared value", lambda: self._part(index))
            menu.exec(self.table.viewport().mapToGlobal(place))  # type: ignore[union-attr]

    def _part(self, index: QModelIndex) -> None:
        parameter, variant = self._model.parameter(index.row()).id, self._model.columns()[index.column()]
        self._session.apply("Follow no shared value", lambda s: part(s, parameter, variant))

    def _reset_cell(self) -> None:
        index = self.table.currentIndex()
        variant = self._model.columns()[index.column()] if index.isValid() else None
        if variant is not None:
            parameter = self._model.parameter(index.row())
            self._session.apply(
                f"{parameter.name} follows the parent", lambda s: edit.reset_value(s, variant, parameter.id)
            )


def _verbs(room: Workplace, bench: Callable[[], VariantsBench]) -> list[Verb]:
    rail = room.rail
    return [
        Verb("Variants", "New variant", "Ctrl+Shift+N", rail.add),
        Verb("Variants", "Derive a variant", "Ctrl+D", rail.derive),
        Verb("Variants", "Roll variants ...", "R", lambda: bench().roll()),
        Verb("Variants", "Who can tell them apart ...", "", lambda: bench().compare()),
        Verb("Variants", "Contact sheet ...", "", lambda: bench().contact_sheet()),
        Verb("Variants", "Moving picture ...", "", lambda: bench().film()),
        Verb("Variants", "Take a review from the clipboard", "", lambda: bench().take_review()),
        Verb("Variants", "Crowd", "K", lambda: bench().toggle_crowd()),
        Verb("Variants", "Copy the values of a variant", "", lambda: bench().copy_text()),
        Verb("Variants", "Paste a variant", "", lambda: bench().paste_text()),
        Verb("Variants", "Save values as a table ...", "", lambda: bench().save_table()),
        Verb("Variants", "Take values from a table ...", "", lambda: bench().load_table()),
        Verb("Variants", "All side by side", "G", rail.sheet_wanted.emit),
        Verb("Variants", "Matrix", "X", rail.matrix_wanted.emit),
        Verb("Variants", "Next variant", "PgDown", lambda: rail.move_on(1)),
        Verb("Variants", "Previous variant", "PgUp", lambda: rail.move_on(-1)),
    ]


STATION = Station(lambda room: VariantsBench(room.session, room.views, room.rail), _verbs)
