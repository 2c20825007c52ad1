"""Variants by chance: how many, of what, how far, and what they look like before they are kept."""

import random

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.newest import Newest, Wish
from evenpalette.app.picture_grid import Entry, PictureGrid
from evenpalette.app.session import Session
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, counted, label, row
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.document.variant import DEFAULTS_NAME
from evenpalette.core.edits.roll import MOST, Rolled, roll_variants
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.values import ValueType
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
        state = session.state
        self.count = QSpinBox()
        self.count.setRange(1, MOST)
        self.count.setValue(12)
        self.base = QComboBox()
        self.base.addItem(DEFAULTS_NAME, None)
        for variant in state.project.variants:
            self.base.addItem(variant.name, variant.id)
        self.base.setCurrentIndex(max(0, self.base.findData(state.project.active_variant)))
        self.way = QComboBox()
        self.way.addItem("new ones near these", RollWay.VARY)
        self.way.addItem("those of all variants, mixed", RollWay.MIX)
        self.spread = ValueSlider(0, 100, "%", decimals=0)
        self.spread.set_value(40)
        self.apart = QSpinBox()
        self.apart.setRange(0, 60)
        self.apart.setValue(_APART)
        self.apart.setToolTip(
            "CIEDE2000 over the whole surface, root mean square: a large region counts for more than a small one"
        )
        self.seed = QSpinBox()
        self.seed.setRange(0, 999_999)
        self.seed.setValue(1)
        for widget, name in (
            (self.count, "How many"), (self.base, "They follow"), (self.way, "Values"), (self.spread, "How far"),
            (self.apart, "Apart by"), (self.seed, "Seed"),
        ):  # fmt: skip
            widget.setAccessibleName(name)
        self.free = QListWidget()
        self.free.setAccessibleName("What may change")
        for parameter in state.project.recipe.parameters:
            item = QListWidgetItem(parameter.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if parameter.type is ValueType.COLOR else Qt.CheckState.Unchecked)
            item.setData(Qt.ItemDataRole.UserRole, parameter.id)
            self.free.addItem(item)
        form = QFormLayout()
        form.setSpacing(8)
        form.addRow("How many", self.count)
        form.addRow("They follow", self.base)
        form.addRow("Values", self.way)
        form.addRow("How far", self.spread)
        form.addRow("Apart by", row(self.apart, label("CIEDE2000", "note"), None))
        form.addRow("Seed", row(self.seed, button("Roll again", self.roll_again, icon="dices"), None))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        keep = buttons.addButton("Keep them", QDialogButtonBox.ButtonRole.AcceptRole)
        assert keep is not None
        keep.setAccessibleName("Keep them")
        self._keep: QPushButton = keep
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        self._said = label("", "note")
        self._said.setWordWrap(True)
        left = QWidget()
        inner = QVBoxLayout(left)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addLayout(form)
        inner.addWidget(label("What may change", "note"))
        inner.addWidget(self.free, 1)
        inner.addWidget(self._said)
        inner.addWidget(buttons)
        left.setFixedWidth(312)
        self.grid = PictureGrid(views, "Rolled variants")
        layout = QHBoxLayout(self)
        layout.setSpacing(16)
        layout.addWidget(left)
        layout.addWidget(self.grid, 1)
        self._newest = Newest(session, "Rolling", 120, self._wish, self)
        for signal in (
            self.count.valueChanged, self.base.currentIndexChanged, self.way.currentIndexChanged, self.spread.edited,
            self.apart.valueChanged, self.seed.valueChanged, self.free.itemChanged,
        ):  # fmt: skip
            signal.connect(self._changed)
        self.finished.connect(lambda _: views.show_live(None))
        QTimer.singleShot(0, self._changed)

    @property
    def chance(self) -> Chance:
        """What was asked for."""
        items = [self.free.item(i) for i in range(self.free.count())]
        free = frozenset(
            str(item.data(Qt.ItemDataRole.UserRole)) for item in items if item is not None and item.checkState() is Qt.CheckState.Checked
        )  # fmt: skip
        return Chance(self.way.currentData(), self.spread.value / 100, free)

    def _changed(self) -> None:
        self.spread.setEnabled(self.way.currentData() is RollWay.VARY)
        self._keep.setEnabled(False)
        self._newest.ask()

    def roll_again(self) -> None:
        """Another seed."""
        self.seed.setValue(random.randrange(1_000_000))

    def _wish(self) -> Wish | None:
        state, chance, count, seed = self._session.state, self.chance, self.count.value(), self.seed.value()
        base, least = self.base.currentData(), float(self.apart.value())

        def work() -> Rolled | str:
            try:
                return roll_variants(state, count, chance, seed, base=base, least=least)
            except EvenPaletteError as error:
                return str(error)

        return work, self._show

    def _show(self, found: Rolled | str) -> None:
        self._rolled = found if isinstance(found, Rolled) else None
        self._keep.setEnabled(self._rolled is not None)
        if isinstance(found, str):
            self._said.setText(found)
            self.grid.show_entries(())
            return
        near = sum(1 for units in found.nearest if units < self.apart.value())
        self._said.setText(
            f"The nearest two are {min(found.nearest):.1f} apart." if not near
            else f"{counted(near, 'variant')} could not be made so far apart: let more change, or let it go farther."
        )  # fmt: skip
        self._keep.setText(f"Keep {counted(len(found.variants), 'variant')}")
        self._views.show_live(found.state)
        names = {variant.id: variant.name for variant in found.state.project.variants}
        light = self._views.shown.light
        self.grid.show_entries([Entry(key, names[key], Look(variant=key, light=light)) for key in found.variants])

    def accept(self) -> None:
        """Take what is shown into the document, as one change."""
        if self._rolled is not None:
            self._session.commit(f"Roll {counted(len(self._rolled.variants), 'variant')}", self._rolled.state)
        super().accept()
