"""Variants by chance: how many, of what, how far, and what they look like before they are kept."""

import random

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.newest import Newest, Wish
from evenpalette.app.picture_grid import Entry, PictureGrid
from evenpalette.app.session import Session
from evenpalette.app.stations.variants.limit_dialog import LimitDialog
from evenpalette.app.tasks import Task
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, choice, counted, label, row, tool
from evenpalette.app.widgets.check_list import keys_on
from evenpalette.app.widgets.forms import ending, form, slider, whole
from evenpalette.core.document.variant import DEFAULTS_NAME
from evenpalette.core.edits.limits import limit_of, limit_text, set_limit
from evenpalette.core.edits.roll import FROM_DISLIKED, MOST, Rolled, Taste, roll_one_again, roll_variants
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.values import Value, ValueType
from evenpalette.core.variants.random_values import Chance, RollWay
from evenpalette.gpu.look import Look

#: Units of CIEDE2000 that variants are apart at once: plainly different, common practice, no source.
_APART = 6


class RollDialog(QDialog):
    """Shows what is rolled in its own grid, and in the variants once it is kept."""

    def __init__(self, session: Session, views: TwinViews, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Variants by chance")
        self.resize(1020, 620)
        self._session, self._views = session, views
        self._rolled: Rolled | None = None
        self._liked: dict[str, dict[str, Value]] = {}
        self._disliked: dict[str, dict[str, Value]] = {}
        self._again = 0
        self._make_fields()
        layout = QHBoxLayout(self)
        layout.setSpacing(16)
        layout.addWidget(self._form())
        layout.addWidget(self._pictures(), 1)
        self._newest = Newest(session, "Rolling", 120, self._wish, self)
        for signal in (
            self.count.valueChanged, self.base.currentIndexChanged, self.way.currentIndexChanged, self.spread.edited,
            self.apart.valueChanged, self.seed.valueChanged, self.free.itemChanged,
        ):  # fmt: skip
            signal.connect(self._changed)
        self.finished.connect(lambda _: views.show_live(None))
        QTimer.singleShot(0, self._changed)

    def _make_fields(self) -> None:
        """What is rolled: how many, from what, how far, and which parameters."""
        state = self._session.state
        self.count = whole("How many", 1, MOST, 12)
        self.base = choice(
            "They follow",
            [(DEFAULTS_NAME, None), *((variant.name, variant.id) for variant in state.project.variants)],
            now=state.project.active_variant,
        )
        self.way = choice(
            "Values", (("new ones near these", RollWay.VARY), ("those of all variants, mixed", RollWay.MIX))
        )
        self.spread = slider(0, 100, 40, name="How far", unit="%", decimals=0)
        self.apart = whole(
            "Apart by", 0, 60, _APART,
            tip="CIEDE2000 over the whole surface, root mean square: a large region counts for more than a small one",
        )  # fmt: skip
        self.seed = whole("Seed", 0, 999_999, 1)
        self.free = QListWidget()
        self.free.setAccessibleName("What may change")
        for parameter in state.project.recipe.parameters:
            item = QListWidgetItem()
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if parameter.type is ValueType.COLOR else Qt.CheckState.Unchecked)
            item.setData(Qt.ItemDataRole.UserRole, parameter.id)
            self.free.addItem(item)
        self._name_limits()
        self.free.itemActivated.connect(lambda _: self.ask_limit())

    def _form(self) -> QWidget:
        """The fields and what may change."""
        fields = form(
            ("How many", self.count), ("They follow", self.base), ("Values", self.way), ("How far", self.spread),
            ("Apart by", row(self.apart, label("CIEDE2000", "note"), None)),
            ("Seed", row(self.seed, button("Roll again", self.roll_again, icon="dices"), None)),
        )  # fmt: skip
        fields.setSpacing(8)
        buttons, self._keep = ending(self, "Keep them")
        self._keep.setAccessibleName("Keep them")
        self._said = label("", "note")
        self._said.setWordWrap(True)
        left = QWidget()
        inner = QVBoxLayout(left)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addLayout(fields)
        limits = button("Limits ...", self.ask_limit, tip="What values of the chosen parameter keep to (Enter)")
        inner.addWidget(row(label("What may change", "note"), None, limits))
        inner.addWidget(self.free, 1)
        inner.addWidget(self._said)
        inner.addWidget(buttons)
        left.setFixedWidth(312)
        return left

    def _pictures(self) -> QWidget:
        """What was rolled."""
        self.grid = PictureGrid(self._views, "Rolled variants")
        self.up = tool("thumbs-up", "More like this one (+)", lambda: self.judge(True))
        self.down = tool("thumbs-down", "Nothing like this one (-)", lambda: self.judge(False))
        self.worst = button(
            "Roll it again", self.roll_worst, icon="dices", tip="The new one of the two that are nearest, alone"
        )
        self._nearest = label("", "note")
        for keys, run in (("+", lambda: self.judge(True)), ("-", lambda: self.judge(False))):
            shortcut = QShortcut(QKeySequence(keys), self.grid)
            shortcut.setContext(Qt.ShortcutContext.WidgetShortcut)
            shortcut.activated.connect(run)
        right = QWidget()
        beside = QVBoxLayout(right)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.addWidget(self.grid, 1)
        beside.addWidget(row(self.up, self.down, self._nearest, None, self.worst, spacing=4))
        self._rule = label("", "note")
        self._rule.setWordWrap(True)
        beside.addWidget(self._rule)
        return right

    @property
    def chance(self) -> Chance:
        """What was asked for."""
        return Chance(self.way.currentData(), self.spread.value / 100, frozenset(keys_on(self.free)))

    def _changed(self) -> None:
        self.spread.setEnabled(self.way.currentData() is RollWay.VARY)
        self._keep.setEnabled(False)
        self._newest.ask()

    def roll_again(self) -> None:
        """Another seed."""
        self.seed.setValue(random.randrange(1_000_000))

    def _wish(self) -> Wish | None:
        state, chance, count, seed = self._session.state, self.chance, self.count.value(), self.seed.value()
        base, least, taste = self.base.currentData(), float(self.apart.value()), self.taste

        def work() -> Rolled | str:
            try:
                return roll_variants(state, count, chance, seed, base=base, least=least, taste=taste)
            except EvenPaletteError as error:
                return str(error)

        return work, self._show

    def _show(self, found: Rolled | str) -> None:
        self._rolled = found if isinstance(found, Rolled) else None
        self._keep.setEnabled(self._rolled is not None)
        if isinstance(found, str):
            self._said.setText(found)
            self._nearest.clear()
            self.grid.show_entries(())
            return
        near = sum(1 for units in found.nearest if units < self.apart.value())
        self._said.setText(
            f"The nearest two are {min(found.nearest):.1f} apart." if not near
            else f"{counted(near, 'variant')} could not be made so far apart: let more change, or let it go farther."
        )  # fmt: skip
        self._keep.setText(f"Keep {counted(len(found.variants), 'variant')}")
        self._views.show_live(found.state)
        self._show_grid()

    def _show_grid(self) -> None:
        """Pictures with what was said of each, and the two that are nearest to each other."""
        found = self._rolled
        if found is None:
            return
        names = {variant.id: variant.name for variant in found.state.project.variants}
        shown = self._views.shown
        entries = []
        for key in found.variants:
            mark = "\u2191 " if self._held(key, self._liked) else "\u2193 " if self._held(key, self._disliked) else ""
            entries.append(Entry(key, mark + names[key], Look(variant=key, light=shown.light, eyes=shown.eyes)))
        current = self.grid.currentRow()
        self.grid.show_entries(entries)
        self.grid.setCurrentRow(min(max(current, 0), len(entries) - 1))
        self.worst.setEnabled(found.worst is not None)
        if found.worst is not None:
            first, second, units = found.worst
            self._nearest.setText(f"Nearest: {names[first]} and {names[second]}, {units:.1f} apart")
        liked, disliked = len(self._liked), len(self._disliked)
        self._rule.setText(
            f"{liked} liked, {disliked} not. The next roll keeps each value within the span of what was liked, a little wider, and "
            f"{FROM_DISLIKED:.0f} units away from what was not, where that can be." if liked or disliked else ""
        )  # fmt: skip

    def _held(self, variant: str, among: dict[str, dict[str, Value]]) -> bool:
        """Whether the values of a rolled variant are among those that were judged so."""
        assert self._rolled is not None
        return self._rolled.state.values(variant) in among.values()

    @property
    def taste(self) -> Taste:
        """What was liked and disliked so far."""
        return Taste(tuple(self._liked.values()), tuple(self._disliked.values()))

    def judge(self, good: bool) -> None:
        """Like or dislike the current one; once more takes it back. The next roll goes by it."""
        item = self.grid.currentItem()
        if item is None or self._rolled is None:
            return
        values = self._rolled.state.values(str(item.data(Qt.ItemDataRole.UserRole)))
        key = repr(sorted(values.items()))
        mine, other = (self._liked, self._disliked) if good else (self._disliked, self._liked)
        other.pop(key, None)
        if mine.pop(key, None) is None:
            mine[key] = values
        self._show_grid()

    def roll_worst(self) -> None:
        """Another one in the place of the new one of the two that are nearest to each other."""
        found = self._rolled
        if found is None or found.worst is None:
            return
        self._again += 1
        chance, seed, base = self.chance, self.seed.value() + 7919 * self._again, self.base.currentData()
        least, taste, variant = float(self.apart.value()), self.taste, found.worst[0]

        def work(_: object) -> Rolled | str:
            try:
                return roll_one_again(found, variant, chance, seed, base=base, least=least, taste=taste)
            except EvenPaletteError as error:
                return str(error)

        def done(made: Rolled | str) -> None:
            if self._rolled is found:
                self._show(made)

        self._session.tasks.start(Task("Rolling one again", work, done, self._session.failed, exclusive=False))

    def ask_limit(self) -> None:
        """Ask what values of the current parameter keep to."""
        item = self.free.currentItem() or self.free.item(0)
        state = self._session.state
        parameter = (
            state.project.recipe.parameter(str(item.data(Qt.ItemDataRole.UserRole))) if item is not None else None
        )
        if parameter is None or parameter.type not in (ValueType.COLOR, ValueType.NUMBER, ValueType.INTEGER):
            self._said.setText("Choose a color or a number to limit.")
            return
        dialog = LimitDialog(state, parameter, self)
        if dialog.exec():
            limit = dialog.limit
            self._session.apply(f"Limits of {parameter.name}", lambda s: set_limit(s, limit))
            self._name_limits()
            self._changed()
        dialog.deleteLater()

    def _name_limits(self) -> None:
        """Say the limits behind the names."""
        state = self._session.state
        self.free.blockSignals(True)
        for place in range(self.free.count()):
            item = self.free.item(place)
            assert item is not None
            parameter = state.project.recipe.parameter(str(item.data(Qt.ItemDataRole.UserRole)))
            assert parameter is not None
            words = limit_text(state, limit_of(state, parameter.id))
            item.setText(f"{parameter.name}  ({words})" if words else parameter.name)
        self.free.blockSignals(False)

    def accept(self) -> None:
        """Take what is shown into the document, as one change."""
        if self._rolled is not None:
            self._session.commit(f"Roll {counted(len(self._rolled.variants), 'variant')}", self._rolled.state)
        super().accept()
