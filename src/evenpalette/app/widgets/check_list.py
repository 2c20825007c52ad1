"""A list of things that are on or off each."""

from collections.abc import Iterable
from typing import NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

from evenpalette.app.plain import plain
from evenpalette.app.widgets.basics import items_of


class Row(NamedTuple):
    """One of them: what it is called by, its words, whether it is on, what is said of it."""

    key: str
    words: str
    is_on: bool
    tip: str = ""


def keys_on(view: QListWidget) -> tuple[str, ...]:
    """The keys of those lines of a list that are on."""
    on = (item for item in items_of(view) if item.checkState() is Qt.CheckState.Checked)
    return tuple(str(item.data(Qt.ItemDataRole.UserRole)) for item in on)


class CheckList(QListWidget):
    """Emits `turned` with the keys of those that are on when one is turned; nothing when rows are shown."""

    turned = pyqtSignal(tuple)

    def __init__(self, name: str, tip: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setToolTip(plain(tip))
        self.setWordWrap(True)
        self.itemChanged.connect(lambda _: self.turned.emit(keys_on(self)))

    def show_rows(self, rows: Iterable[Row], without: str = "") -> None:
        """Show these. without: what is said where there are none."""
        self.blockSignals(True)
        self.clear()
        for row in rows:
            item = QListWidgetItem(row.words)
            item.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            item.setCheckState(Qt.CheckState.Checked if row.is_on else Qt.CheckState.Unchecked)
            item.setData(Qt.ItemDataRole.UserRole, row.key)
            item.setToolTip(plain(row.tip))
            self.addItem(item)
        if not self.count() and without:
            item = QListWidgetItem(without)
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.addItem(item)
        self.blockSignals(False)
