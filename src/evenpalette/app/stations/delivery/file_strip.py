"""The files of a layout in a row, each with a small picture of it."""

from collections.abc import Sequence

from numpy.typing import NDArray
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QAbstractItemView, QListView, QListWidget, QListWidgetItem

from evenpalette.app.plain import plain
from evenpalette.app.widgets.basics import items_of, list_actions
from evenpalette.app.widgets.before_after import image_of

#: Pixels of a small picture.
ICON = 28


class FileStrip(QListWidget):
    """Emits `chosen` when another is looked at, `renamed` with the place and the new name, `removed`."""

    chosen = pyqtSignal()
    renamed = pyqtSignal(int, str)
    removed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Files of the layout")
        self.setToolTip("The files of the layout, by the templates of their names. F2 renames one")
        self.setFlow(QListView.Flow.LeftToRight)
        self.setWrapping(False)
        self.setIconSize(QSize(ICON, ICON))
        self.setFixedHeight(40)
        self.setSpacing(1)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setEditTriggers(QAbstractItemView.EditTrigger.EditKeyPressed | QAbstractItemView.EditTrigger.DoubleClicked)
        list_actions(self, [("Take it out of the layout", "Del", self.removed.emit)])
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        self.currentRowChanged.connect(lambda _: self.chosen.emit())
        self.itemChanged.connect(lambda item: self.renamed.emit(self.row(item), item.text()))

    def show_names(self, names: Sequence[str]) -> None:
        """Show these files; what is looked at stays at its place, small pictures until there are new ones."""
        held = items_of(self)
        if list(names) == [item.text() for item in held]:
            return
        at, icons = max(0, self.currentRow()), [item.icon() for item in held]
        self.blockSignals(True)
        self.clear()
        for place, name in enumerate(names):
            item = QListWidgetItem(icons[place] if place < len(icons) else QIcon(), name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            item.setToolTip(plain(name))
            self.addItem(item)
        self.setCurrentRow(min(at, len(names) - 1))
        self.blockSignals(False)

    def show_pictures(self, pictures: Sequence[NDArray | None]) -> None:
        """8-bit RGB or RGBA of each file; None keeps what is there."""
        self.blockSignals(True)
        for item, pixels in zip(items_of(self), pictures, strict=False):
            if pixels is not None:
                item.setIcon(QIcon(QPixmap.fromImage(image_of(pixels))))
        self.blockSignals(False)
