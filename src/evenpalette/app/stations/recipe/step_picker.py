"""Choosing a kind of step by what it does: type what you want, the kinds that do it stay."""

from collections.abc import Callable

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from evenpalette.core.recipe.kind import StepKind
from evenpalette.core.recipe.steps import KINDS


class StepPicker(QFrame):
    """A field and a list; Enter or a click takes a kind."""

    def __init__(self, take: Callable[[str], object], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("card")
        self._take = take
        self.field = QLineEdit()
        self.field.setAccessibleName("What the step does")
        self.field.setPlaceholderText("What should it do? Try dirty edges, stripes, glow ...")
        self.field.textChanged.connect(self._filter)
        self.field.returnPressed.connect(self._choose)
        self.list = QListWidget()
        self.list.setAccessibleName("Kinds of steps")
        self.list.setUniformItemSizes(True)
        self.list.itemClicked.connect(lambda _: self._choose())
        self.list.itemActivated.connect(lambda _: self._choose())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addWidget(self.field)
        layout.addWidget(self.list)
        self._filter("")

    def sizeHint(self) -> QSize:
        return QSize(520, 340)

    def _filter(self, text: str) -> None:
        self.list.clear()
        for kind in found_by(text):
            item = QListWidgetItem(f"{kind.label}:  {kind.summary}")
            item.setData(Qt.ItemDataRole.UserRole, kind.key)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _choose(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            key = str(item.data(Qt.ItemDataRole.UserRole))
            self.close()
            self._take(key)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))


def found_by(text: str) -> list[StepKind]:
    """The kinds that fit what was typed, the best first: by their names, then by what they do; all without a word."""
    wanted = text.lower().split()
    scored = []
    for place, kind in enumerate(KINDS.values()):
        name, does = kind.label.lower(), f"{kind.summary} {kind.words}".lower()
        hits = sum(
            3
            if word in name
            else 1
            if any(part.startswith(word) or (len(word) > 3 and word[:-1] in part) for part in does.split())
            else 0
            for word in wanted
        )
        if hits or not wanted:
            scored.append((-hits, place, kind))
    return [kind for _, _, kind in sorted(scored, key=lambda entry: entry[:2])]
