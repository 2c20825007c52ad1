"""All values of all variants, large: sorted, brought together, changed for many at once; what was said of each."""

from collections.abc import Sequence

from PyQt6.QtCore import QItemSelection, QItemSelectionModel, QModelIndex, QPoint, Qt
from PyQt6.QtGui import QImage, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QLineEdit,
    QMenu,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.facets import ACTIVE, ASSET, EVERYTHING, NAME, RECIPE, REVIEW, VALUES, VARIANTS
from evenpalette.app.matrix import clipboard
from evenpalette.app.matrix.dialogs import FillDialog, HarmonyDialog, NoteDialog
from evenpalette.app.matrix.drawing import PICTURE, CellDelegate, Columns, Names
from evenpalette.app.matrix.model import ALL, BY_MARK, BY_PARENT, IN_ORDER, UNMARKED, MatrixModel
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.timers import timer
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, choice, counted, label, list_actions, row, tool
from evenpalette.app.widgets.color_editor import ColorEditor
from evenpalette.app.widgets.popup import show_above
from evenpalette.app.widgets.value_editor import ValueEditor, ValuePopup
from evenpalette.core.document.state import State
from evenpalette.core.document.variant import DEFAULTS_NAME, MARKS
from evenpalette.core.edits import many_values as edit
from evenpalette.core.edits.marks import mark_variants
from evenpalette.core.edits.variants import activate
from evenpalette.core.values import Value, ValueType, value_text
from evenpalette.core.variants.harmony import Harmonized
from evenpalette.gpu.look import Look

_SHOWN = (
    ("All variants", ALL), *((f"Marked: {word.lower()}", mark) for mark, word in MARKS.items()), ("Not marked", UNMARKED),
)  # fmt: skip
_GROUPS = (("In their order", IN_ORDER), ("By what they follow", BY_PARENT), ("By their marks", BY_MARK))


class Matrix(QWidget):
    """A window of its own, over the benches and the views when it is opened first."""

    def __init__(self, session: Session, views: TwinViews, over: QWidget) -> None:
        """over: what it lies over when it is opened first."""
        super().__init__(over, Qt.WindowType.Window)
        self.setWindowTitle("Matrix")
        self._session, self._views = session, views
        self._over: QWidget | None = over
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.model = MatrixModel(session)
        self._lay_table()
        head = self._head()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(head)
        layout.addWidget(self.table, 1)
        self._actions = list_actions(self.table, [
            ("Set ...", "Return", self.edit_current), ("Follow the parent again", "Del", self.reset),
            ("Harmony ...", "H", self.ask_harmony), ("Fill the gap between two ...", "B", self.ask_fill),
            ("Lock the column", "Ctrl+L", self.toggle_lock), ("Mark and note ...", "M", self.ask_note),
            ("Copy", "Ctrl+C", self.copy), ("Paste", "Ctrl+V", self.paste),
            ("Copy the review", "Ctrl+Shift+C", lambda: clipboard.copy_review(session)), ("Undo", "Ctrl+Z", session.undo),
            ("Redo", "Ctrl+Shift+Z", session.redo),
        ])  # fmt: skip
        self._ask_pictures = timer(self, 60)
        self._ask_pictures.timeout.connect(self._draw_pictures)
        bar, selection = self.table.verticalScrollBar(), self.table.selectionModel()
        assert bar is not None
        assert selection is not None
        bar.valueChanged.connect(lambda _: self._ask_pictures.start())
        selection.selectionChanged.connect(lambda *_: self._say())
        session.changed.connect(self._on_change)
        views.shown.eyes_changed.connect(self._ask_pictures.start)
        self.hide()

    def _lay_table(self) -> None:
        """A line each variant, a column each parameter."""
        table = self.table = QTableView()
        table.setAccessibleName("Matrix of variants and parameters")
        table.setModel(self.model)
        self.names, self.columns = Names(self.model), Columns(self.model)
        self._delegate = CellDelegate(self.model, self.edit_cell)
        table.setVerticalHeader(self.names)
        table.setHorizontalHeader(self.columns)
        table.setItemDelegate(self._delegate)
        table.setShowGrid(False)
        table.setCornerButtonEnabled(False)
        table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        table.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        table.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        table.setEditTriggers(
            QAbstractItemView.EditTrigger.EditKeyPressed | QAbstractItemView.EditTrigger.DoubleClicked
        )
        table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        table.customContextMenuRequested.connect(self._menu)
        self.columns.sectionClicked.connect(self.sort_by)
        self.names.sectionClicked.connect(self._show_variant)
        self.names.sectionDoubleClicked.connect(lambda _: self.ask_note())

    def _head(self) -> QWidget:
        """Which variants and in what order, what can be done with those that are chosen."""
        self.shown, self.group = choice("Which variants", _SHOWN), choice("Brought together", _GROUPS)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Name or note")
        self.search.setAccessibleName("Name or note")
        self.search.setFixedWidth(130)
        self.facts = label("", "note")
        for changed in (self.shown.currentIndexChanged, self.group.currentIndexChanged, self.search.textChanged):
            changed.connect(lambda _: self._arrange())
        head = row(
            label("Matrix", "heading"), self.shown, self.group, self.search, self.facts, None,
            button("Set ...", self.edit_current, tip="One value for all chosen cells of a column (F2)"),
            button("Harmony ...", self.ask_harmony, tip="Chosen colors as they go with the first (H)"),
            button("Fill ...", self.ask_fill, tip="Variants between two chosen ones (B)"),
            button("Mark ...", self.ask_note, tip="Keep, change or drop, and a note (M)"),
            button("Paste", self.paste, tip="Colors, a picture's palette or a review from the clipboard (Ctrl+V)"),
            tool("x", "Close (Esc)", self.close_matrix), spacing=6, margins=(12, 6, 8, 6),
        )  # fmt: skip
        head.setObjectName("chrome")
        return head

    # --- open and closed -----------------------------------------------------------------------------------------

    def toggle(self) -> None:
        """Open it, or close it."""
        if self.isVisible():
            self.close_matrix()
            return
        if self._over is not None:
            # A window of its own: it may go to another screen, and views are not composed with it at every key.
            corner = self._over.mapToGlobal(QPoint(0, 0))
            self.setGeometry(corner.x(), corner.y(), self._over.width(), self._over.height())
            self._over = None
        self.model.refresh()
        self.show()
        self.raise_()
        self.activateWindow()
        self.table.setFocus()
        if not self.table.currentIndex().isValid() and self.model.lines and self.model.columns:
            active = self._session.state.project.active_variant
            line = next((k for k, held in enumerate(self.model.lines) if held.id == active), 0)
            self.table.setCurrentIndex(self.model.index(line, 0))
        self._say()
        self._ask_pictures.start()

    def close_matrix(self) -> None:
        """Show the views again."""
        self.hide()
        self._views.pictures.drop("matrix")
        window = self._views.window()
        if window is not None:
            window.activateWindow()
        self._views.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.close_matrix()
        else:
            super().keyPressEvent(event)

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets >= EVERYTHING:
            # Another document.
            self.close_matrix()
            self.model.sorted_by = None
            for box in (self.shown, self.group):
                box.setCurrentIndex(0)
            self.search.clear()
            self.names.pictures.clear()
        if not self.isVisible():
            return
        if facets & {VARIANTS, RECIPE, ASSET}:
            self._arrange()
        elif facets & {VALUES, REVIEW, ACTIVE}:
            if REVIEW in facets and (self.model.shown != ALL or self.model.group == BY_MARK):
                self._arrange()
            self.model.refresh_values()
            for header in (self.names.viewport(), self.columns.viewport()):
                header.update()  # type: ignore[union-attr]
        if facets - {ACTIVE, NAME, REVIEW}:
            known = {line.id for line in self.model.lines}
            self.names.pictures = {k: v for k, v in self.names.pictures.items() if k in known}
            self._ask_pictures.start()

    # --- what is shown -------------------------------------------------------------------------------------------

    def _arrange(self) -> None:
        """Lines and columns as they are wanted now; what was chosen stays chosen."""
        chosen, now = self.places(), self.table.currentIndex()
        current = self.model.place(now) if now.isValid() and now.row() < len(self.model.lines) else None
        self.model.group, self.model.shown = self.group.currentData(), self.shown.currentData()
        self.model.words = self.search.text().strip()
        self.model.refresh()
        self._choose(chosen, current)
        self._say()
        self._ask_pictures.start()

    def _choose(self, places: list[tuple[str | None, str]], current: tuple[str | None, str] | None) -> None:
        lines = {line.id: k for k, line in enumerate(self.model.lines)}
        columns = {p.id: k for k, p in enumerate(self.model.columns)}
        selection = QItemSelection()
        for variant, key in places:
            if variant in lines and key in columns:
                index = self.model.index(lines[variant], columns[key])
                selection.select(index, index)
        held = self.table.selectionModel()
        assert held is not None
        if current is not None and current[0] in lines and current[1] in columns:
            held.setCurrentIndex(
                self.model.index(lines[current[0]], columns[current[1]]), QItemSelectionModel.SelectionFlag.NoUpdate
            )
        held.select(selection, QItemSelectionModel.SelectionFlag.ClearAndSelect)

    def sort_by(self, column: int) -> None:
        """Sort lines by a column: up, then down, then as they are."""
        key, by = self.model.columns[column].id, self.model.sorted_by
        self.model.sorted_by = (key, False) if by is None or by[0] != key else (key, True) if not by[1] else None
        self._arrange()

    def places(self) -> list[tuple[str | None, str]]:
        """Variant and parameter of the chosen cells, line by line."""
        selection = self.table.selectionModel()
        assert selection is not None
        found = sorted(selection.selectedIndexes(), key=lambda index: (index.row(), index.column()))
        return [self.model.place(index) for index in found if index.row() < len(self.model.lines)]

    def _variants(self) -> list[str]:
        """The variants of the chosen lines, in the order of the lines."""
        return list(dict.fromkeys(variant for variant, _ in self.places() if variant is not None))

    def _say(self) -> None:
        chosen = self.places()
        many = counted(len(chosen), "cell") if len(chosen) > 1 else ""
        lines = counted(len(self.model.lines), "line")
        self.facts.setText(f"{many} chosen" if many else f"{lines}; a corner: not the parent's")
        self.facts.setToolTip(plain("Bold: its own value. A green corner: another value than its parent has."))

    def _draw_pictures(self) -> None:
        """Pictures of the lines that are seen."""
        self._views.pictures.drop("matrix")
        if not self.isVisible():
            return
        shown = self._views.shown
        first = max(0, self.names.logicalIndexAt(0))
        last = self.names.logicalIndexAt(self.names.height() - 1)
        last = len(self.model.lines) - 1 if last < 0 else last
        for line in self.model.lines[first : last + 1]:
            look = Look(variant=line.id, light=shown.light, eyes=shown.eyes)
            self._views.pictures.request(("matrix", line.id), look, PICTURE, lambda image, key=line.id: self._take(key, image))  # type: ignore[misc]  # fmt: skip

    def _take(self, variant: str | None, image: QImage) -> None:
        self.names.pictures[variant] = image
        self.names.viewport().update()  # type: ignore[union-attr]

    def _show_variant(self, line: int) -> None:
        variant = self.model.lines[line].id
        self._session.apply("Show variant", lambda s: activate(s, variant), "activate")

    # --- changes -------------------------------------------------------------------------------------------------

    def edit_current(self) -> None:
        """Edit the current cell, and with it all chosen ones of its column."""
        if self.table.currentIndex().isValid():
            self.edit_cell(self.table.currentIndex())

    def edit_cell(self, index: QModelIndex) -> None:
        """Open the editor of a cell's type; what it sets all chosen cells of the column get."""
        variant, key = self.model.place(index)
        parameter = self.model.columns[index.column()]
        chosen = [v for v, p in self.places() if p == key]
        variants = chosen if variant in chosen else [variant]
        viewport = self.table.viewport()
        assert viewport is not None
        if parameter.type is ValueType.COLOR:
            color = ColorEditor(None, self)
            color.set_color(str(self.model.value(index.row(), index.column())))
            color.edited.connect(lambda value: self.set_values(key, variants, value))
            color.finished.connect(self._session.history.seal)
            show_above(color, viewport, self.table.visualRect(index))
            return
        editor = ValueEditor(parameter.input, lambda: self._session.state)
        editor.setMinimumWidth(210)
        editor.set_value(self.model.value(index.row(), index.column()))
        editor.edited.connect(lambda value: self.set_values(key, variants, value))
        editor.finished.connect(self._session.history.seal)
        popup = ValuePopup(editor, self)
        show_above(popup, viewport, self.table.visualRect(index))
        editor.setFocus()

    def set_values(self, key: str, variants: Sequence[str | None], value: Value) -> None:
        """Have one value of a parameter in variants."""
        parameter = next(p for p in self.model.columns if p.id == key)
        where = f" in {counted(len(variants), 'variant')}" if len(variants) > 1 else ""
        self._session.apply(
            f"{parameter.name} to {value_text(value, parameter.unit)}{where}",
            lambda s: edit.set_many(s, {(variant, key): value for variant in variants}),
            f"matrix {key} {' '.join(str(v) for v in variants)[:400]}",
        )

    def reset(self) -> None:
        """Let the chosen cells follow their parents again."""
        places = self.places()
        self._session.apply(
            f"{counted(len(places), 'value')} to follow the parent", lambda s: edit.reset_many(s, places)
        )

    def toggle_lock(self) -> None:
        """Lock the current column, or let it go."""
        index = self.table.currentIndex()
        if not index.isValid():
            return
        key, locked = self.model.columns[index.column()].id, self.model.is_locked(index.column())
        self._session.apply("Unlock a parameter" if locked else "Lock a parameter", lambda s: edit.lock_parameter(s, key, not locked))  # fmt: skip

    def ask_harmony(self) -> None:
        """Ask how the chosen colors are to go together; the current cell is what the others go with."""
        colors = {p.id for p in edit.color_parameters(self._session.state)}
        places = [place for place in self.places() if place[1] in colors]
        index = self.table.currentIndex()
        current = self.model.place(index) if index.isValid() else None
        if current in places:
            places.remove(current)
            places.insert(0, current)
        if not places:
            self._session.said.emit("Choose cells of colors that are not locked.", True)
            return
        state = self._session.state
        values = [str(state.values(variant)[key]) for variant, key in places]

        def made(found: list[Harmonized]) -> State:
            pairs = zip(places, found, values, strict=True)
            return edit.set_many(state, {place: one.color for place, one, before in pairs if one.color != before})

        dialog = HarmonyDialog(values, lambda found: self._views.show_live(made(found)), self)
        if dialog.exec():
            found = dialog.found
            self._session.apply("Colors that go together", lambda _: made(found))
        self._views.show_live(None)
        dialog.deleteLater()

    def ask_fill(self) -> None:
        """Ask how many variants stand between the two that are chosen."""
        variants = self._variants()
        if len(variants) != 2:
            self._session.said.emit("Choose cells of two variants: the new ones stand between them.", True)
            return
        names = {line.id: line.name for line in self.model.lines}
        first, second = variants
        dialog = FillDialog(names[first], names[second], self)
        if dialog.exec():
            count = dialog.count.value()
            self._session.apply(f"{counted(count, 'variant')} between two", lambda s: edit.fill_between(s, first, second, count))  # fmt: skip
        dialog.deleteLater()

    def ask_note(self) -> None:
        """Ask what is said of the chosen variants."""
        variants = self._variants()
        held = {v.id: v for v in self._session.state.project.variants}
        if not variants:
            self._session.said.emit(f"Choose a variant: {DEFAULTS_NAME} have no mark.", True)
            return
        first = held[variants[0]]
        words = first.name if len(variants) == 1 else counted(len(variants), "variant")
        dialog = NoteDialog(words, first.mark, first.note, self)
        if dialog.exec():
            mark, note = str(dialog.mark.currentData()), dialog.note.toPlainText().strip()
            self._session.apply(f"Mark {words}", lambda s: mark_variants(s, set(variants), mark, note))
        dialog.deleteLater()

    def copy(self) -> None:
        """The chosen cells as text, a line for each variant, for a spreadsheet."""
        clipboard.copy_values(self._session, self.places())

    def paste(self) -> None:
        """What is on the clipboard: a review, colors, or the palette of a picture, onto the current line."""
        index = self.table.currentIndex()
        clipboard.paste(self._session, self.model, self.model.place(index) if index.isValid() else (None, ""))

    def _menu(self, place: QPoint) -> None:
        index = self.table.indexAt(place)
        if not index.isValid():
            return
        if self.model.place(index) not in self.places():
            self.table.setCurrentIndex(index)
        menu = QMenu(self)
        menu.addActions(self._actions)
        menu.exec(self.table.viewport().mapToGlobal(place))  # type: ignore[union-attr]
