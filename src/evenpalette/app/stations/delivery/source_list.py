"""What a project has to put into a channel of a file."""

from collections.abc import Sequence

from PyQt6.QtCore import QMimeData, Qt
from PyQt6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.widgets.basics import items_of
from evenpalette.app.widgets.source_drag import packed
from evenpalette.core.document.state import State
from evenpalette.core.recipe.attributes import ATTRIBUTES


class SourceList(QListWidget):
    """Each is dragged onto a picture, or taken by Return for the chosen one."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("What may lie in a channel")
        self.setToolTip("Drag one onto a channel, or press Return for the channel that was chosen last")
        self.setDragEnabled(True)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFixedWidth(130)

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData | None:  # type: ignore[override]
        source = items[0].data(Qt.ItemDataRole.UserRole) if items else None
        return packed(source) if source else None

    def entries(self) -> list[tuple[str, str]]:
        """Words and what they name, '' for a heading."""
        return [(item.text(), item.data(Qt.ItemDataRole.UserRole)) for item in items_of(self)]

    def show_of(self, state: State) -> None:
        """What a project has, in groups."""
        groups = {
            "Surface": [(ATTRIBUTES[key].label, f"attribute:{key}") for key in state.attributes],
            "Regions": [(r.name, f"region:{r.id if '+' in r.name else r.name}") for r in state.project.regions.regions],
            "Textures": [(t.name, f"texture:{t.name}") for t in state.project.asset.textures],
            "Masks of steps": [(s.name, f"mask:{s.name}") for s in state.project.recipe.steps],
            "Divisions": [(f"flags of {d.name}", f"id:{d.name}") for d in state.project.regions.divisions],
            "Besides": [("the tone", "tone"), ("0 everywhere", "constant:0"), ("1 everywhere", "constant:1")],
        }
        wanted = [(name, source) for title, some in groups.items() if some for name, source in [(title, ""), *some]]
        if wanted == self.entries():
            return
        self.clear()
        for name, source in wanted:
            item = QListWidgetItem(name)
            item.setData(Qt.ItemDataRole.UserRole, source)
            item.setToolTip(plain(source))
            if not source:
                item.setFlags(Qt.ItemFlag.NoItemFlags)
                item.setFont(theme.font(theme.NOTE, strong=True))
            self.addItem(item)
