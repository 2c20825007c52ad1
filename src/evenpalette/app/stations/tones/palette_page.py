"""Tones, palettes: a texture reduced to few colors, its entries and rows, and the step that lays it."""

from collections.abc import Callable

import numpy as np
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QMenu, QWidget

from evenpalette.app.facets import ASSET
from evenpalette.app.plain import entry
from evenpalette.app.session import Session
from evenpalette.app.stations.tones.pack_dialog import PackDialog, packable
from evenpalette.app.tasks import Task
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, choice, column, label, row, tool
from evenpalette.app.widgets.color_field import ColorField
from evenpalette.app.widgets.forms import whole
from evenpalette.app.widgets.palette_field import PaletteField
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import palette as edit
from evenpalette.core.raster.raster import Raster
from evenpalette.core.tones.palettes.mapping import Dither
from evenpalette.core.tones.palettes.reduce import FEWEST, MOST, Order
from evenpalette.core.tones.palettes.strip import find_faults

_DITHERS = (("no dithering", Dither.NONE), ("ordered", Dither.ORDERED), ("diffusion", Dither.DIFFUSION))
_ORDERS = (
    ("dark to light", Order.LIGHTNESS),
    ("most used first", Order.SHARE),
    ("by hue", Order.HUE),
    ("shortest path", None),
)


class PalettePage(QWidget):
    """Left what is reduced, in the middle the palette, right what is done with an entry and with rows."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._views = session, views
        self._shares = np.zeros(0)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(24)
        layout.addWidget(self._reducing())
        layout.addWidget(self._palette(), 1)
        layout.addWidget(self._entries())
        self._shown = WhenShown(self, self.refresh)
        session.changed.connect(lambda facets: self._shown.ask() if ASSET in facets else None)
        session.selection.changed.connect(self._shown.ask)
        self.refresh()

    def _reducing(self) -> QWidget:
        """What is reduced, and how."""
        self._texture = choice("Texture to reduce")
        self._colors = whole("Colors", FEWEST, MOST, 32)
        self._dither = choice("Dithering", _DITHERS)
        self._decides = choice("What decides", tip="Which texels decide what the colors are")
        self._others = tool("plus", "Other textures by the same palette", self._choose_others)
        self._also: set[str] = set()
        self.reduce = button(
            "Reduce", self._reduce, "primary", "An index texture and a strip of its colors, both added to the asset"
        )
        made = column(
            label("Reduce", "heading"), row(self._texture, self._others, spacing=4), row(self._colors, label("colors", "note"), self._dither, None, spacing=6),
            self._decides, row(self.reduce, None), None, spacing=5,
        )  # fmt: skip
        made.setFixedWidth(250)
        return made

    def _palette(self) -> QWidget:
        """The colors of an index texture, row by row."""
        self.index = choice("Index texture", taken=lambda _: self.refresh())
        self.field = PaletteField()
        self.field.chosen.connect(lambda *_: self._show_entry())
        self.field.dropped.connect(lambda *_: self._recolor(_[2]))
        self.field.asked.connect(lambda: self._color.open_editor())
        self.field.locked_changed.connect(self._lock)
        self.field.moved.connect(lambda a, b: self._do("Move entry", lambda s, i: edit.move_entry(s, i, a, b)))
        self._facts = label("", "note")
        self._facts.setWordWrap(True)
        self._facts.setAccessibleName("About the palette")
        return column(row(label("Palette", "heading"), self.index, None, spacing=8), self.field, self._facts, spacing=5)

    def _entries(self) -> QWidget:
        """What is done with the chosen entry and with rows."""
        self._entry = label("", "note")
        self._color = ColorField()
        self._color.edited.connect(self._recolor)
        self._color.finished.connect(self._session.history.seal)
        self._tools = [
            button("Add row ...", self._add_row, "", "Another palette for the same index: night, dusk, another picture's mood"),
            button("Remove row", lambda: self._do("Remove row", lambda s, i: edit.remove_row(s, i, self.field.row))),
            button("Sort ...", self._sort, "", "Another order of the entries; the picture stays"),
            button("Split", lambda: self._do_long("Split entry", lambda s, i: edit.split_entry(s, i, self.field.entry)), "", "Its texels are shared out by what they were before they were reduced"),
            button("Merge with next", lambda: self._do("Merge entries", lambda s, i: edit.merge_entries(s, i, self.field.entry, self.field.entry + 1)), "", "Its neighbor's texels get this entry"),
            button("Lay in the recipe", lambda: self._do("Palette step", edit.lay_palette), "", "A Palette step whose row a parameter and variants can set"),
        ]  # fmt: skip
        add, remove, sort, split, merge, lay = self._tools
        self._lock_box = QCheckBox("locked")
        self._lock_box.setToolTip("Reducing anew keeps this color (Space)")
        self._lock_box.clicked.connect(lambda _: self._lock())
        self._where = QCheckBox("show where")
        self._where.setToolTip("The texels of the chosen entry light up in both views")
        self._where.clicked.connect(lambda _: self._show_where())
        self._pack = button("Pack ...", self._ask_pack, "", "Up to four gray or index textures in the channels of one")
        made = column(
            label("Entry and rows", "heading"), row(self._color, self._entry, None, spacing=8), row(self._lock_box, self._where, None, spacing=10),
            row(split, merge, sort, None, spacing=5), row(add, remove, None, spacing=5), row(lay, self._pack, None, spacing=5), None, spacing=4,
        )  # fmt: skip
        made.setFixedWidth(286)
        return made

    @property
    def current(self) -> str:
        """The id of the index texture that is shown, '' without one."""
        return str(self.index.currentData() or "")

    def refresh(self) -> None:
        """Show the palettes as they are now."""
        state, session = self._session.state, self._session
        _fill(self._texture, [(t.name, t.id) for t in state.project.asset.with_role(Role.PAINTED, Role.COLOR)])
        region = state.project.regions.find(session.selection.region or "")
        _fill(
            self._decides,
            [
                ("the whole texture decides", ""),
                *([(f"{region.name} decides", region.id)] if region else []),
                *((f"{t.name} decides", t.id) for t in state.project.asset.with_role(Role.MASK)),
            ],
        )
        _fill(
            self.index, [(t.name, t.id) for t in state.project.asset.with_role(Role.INDEX) if t.strip in state.textures]
        )
        self.reduce.setEnabled(self._texture.count() > 0)
        has = bool(self.current)
        self.index.setVisible(has)
        for made in self._tools:
            made.setEnabled(has)
        for widget in (self._color, self._lock_box, self._where):
            widget.setEnabled(has)
        self._pack.setEnabled(len(packable(state)) > 1)
        self.field.setVisible(has)
        if not has:
            self._facts.setText(
                "No index art yet. Reduce a texture: its index is shared by as many rows of colors as you like, and each row is a day, a night, a season."
            )
            self._entry.setText("")
            return
        rows = edit.rows_of(state, self.current)
        self._shares = edit.entry_shares(state, self.current)
        self.field.show_palette(rows, self._shares, edit.locked_of(state, self.current))
        texture = state.project.asset.texture(self.current)
        assert texture is not None
        faults = find_faults(state.textures[self.current], state.textures[texture.strip])
        words = f"{rows.shape[1]} colors, {len(rows)} {'row' if len(rows) == 1 else 'rows'}.  " + "  ".join(
            fault.text for fault in faults
        )
        self._facts.setText(words)
        self._tools[1].setEnabled(len(rows) > 1)
        self._show_entry()

    def _show_entry(self) -> None:
        if self.current and self.field.color:
            self._color.set_color(self.field.color)
            self._lock_box.setChecked(self.field.is_locked)
            if self._where.isChecked():
                self._show_where()
            shares = self._shares
            self._entry.setText(
                f"{self.field.entry + 1} of {len(shares)}, row {self.field.row}, {shares[self.field.entry]:.1%}"
            )

    def _recolor(self, color: str) -> None:
        row_, entry, index = self.field.row, self.field.entry, self.current
        if index:
            self._session.apply(
                f"Entry to {color}",
                lambda s: edit.set_entry(s, index, row_, entry, color),
                f"entry {index} {row_} {entry}",
            )

    def _do(self, words: str, change) -> None:  # type: ignore[no-untyped-def]
        index = self.current
        if index:
            self._session.apply(words, lambda s: change(s, index))

    def _do_long(self, words: str, change: Callable[[State, str], State]) -> None:
        index = self.current
        if index:
            self._session.run(words, lambda s, _: change(s, index))

    def _lock(self) -> None:
        color, on = self.field.color, not self.field.is_locked
        if color:
            self._do(f"{'Lock' if on else 'Unlock'} {color}", lambda s, i: edit.set_locked(s, i, color, locked=on))

    def _show_where(self) -> None:
        """The chosen entry's texels light up, in Form and in Flat; and what was shown comes back."""
        index, entry, state = self.current, self.field.entry, self._session.state
        if not self._where.isChecked() or not index:
            self._views.shown.show_both(None)
            self._views.show_extras({})
            return

        def show(raster: Raster) -> None:
            if self._where.isChecked():
                self._views.show_extras({"entry": (f"Entry {entry + 1}", raster)})
                self._views.shown.show_both("texture:entry")

        self._session.tasks.start(
            Task("Looking", lambda _: edit.where_used(state, index, entry), show, self._session.failed, exclusive=False)
        )

    def _ask_pack(self) -> None:
        PackDialog(self._session, packable(self._session.state), self).exec()

    def _choose_others(self) -> None:
        """Textures that are reduced together with the chosen one."""
        menu, first = QMenu(self), str(self._texture.currentData() or "")
        for texture in self._session.state.project.asset.with_role(Role.PAINTED, Role.COLOR):
            if texture.id != first:
                action = menu.addAction(entry(texture.name))
                assert action is not None
                action.setCheckable(True)
                action.setChecked(texture.id in self._also)
                action.toggled.connect(lambda on, t=texture.id: (self._also.add if on else self._also.discard)(t))
        if menu.isEmpty():
            nothing = menu.addAction("There is no other color texture")
            assert nothing is not None
            nothing.setEnabled(False)
        menu.exec(QCursor.pos())

    def _reduce(self) -> None:
        texture, count = str(self._texture.currentData()), self._colors.value()
        held = [t.id for t in self._session.state.project.asset.textures]
        chosen = [texture, *(t for t in held if t in self._also and t != texture)]
        locked = edit.locked_of(self._session.state, self.current) if self.current else ()
        dither, region = self._dither.currentData(), str(self._decides.currentData() or "") or None

        def then() -> None:
            self.refresh()
            self.index.setCurrentIndex(self.index.count() - 1)
            self.refresh()

        self._session.run(
            f"Reduce to {count} colors",
            lambda s, progress: edit.reduce_textures(s, chosen, count, dither, region, locked, progress),
            then,
        )

    def _add_row(self) -> None:
        menu = QMenu(self)
        for how in edit.ROWS:
            menu.addAction(how, lambda h=how: self._do(f"Row: {h}", lambda s, i: edit.add_row(s, i, h, self.field.row)))
        mood = menu.addMenu("Mood of")
        assert mood is not None
        for texture in self._session.state.project.asset.with_role(Role.PAINTED, Role.COLOR):
            mood.addAction(
                texture.name,
                lambda t=texture.id: self._do("Row: mood", lambda s, i: edit.add_row(s, i, t, self.field.row)),
            )
        menu.exec(QCursor.pos())

    def _sort(self) -> None:
        menu = QMenu(self)
        for words, order in _ORDERS:
            menu.addAction(
                words, lambda o=order, w=words: self._do(f"Sort {w}", lambda s, i: edit.sort_entries(s, i, o))
            )
        menu.exec(QCursor.pos())


def _fill(box: QComboBox, items: list[tuple[str, str]]) -> None:
    """Offer these; what is chosen stays where it is still there."""
    chosen = box.currentData()
    box.clear()
    for words, value in items:
        box.addItem(words, value)
    box.setCurrentIndex(max(0, box.findData(chosen)))
