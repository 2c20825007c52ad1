"""Pictures of the model side by side, each with its name, as large as the place allows."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QHideEvent, QIcon, QImage, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QListView, QListWidget, QListWidgetItem

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.views import TwinViews
from evenpalette.gpu.look import Look

#: Widths of a picture over its height that show a model well; logical pixels around a picture, and under it for its
#: name.
_ASPECTS, _AROUND, _NAME = (0.8, 1.0, 1.25, 1.5), 12, 26
#: A picture narrower than this tells nothing: the grid scrolls instead.
_NARROWEST = 72


class Entry(NamedTuple):
    """A picture: what it is kept under, its name, and how the model looks."""

    key: str
    name: str
    look: Look


class PictureGrid(QListWidget):
    """Entries by arrows and pointer; pictures come in between when there is time."""

    def __init__(self, views: TwinViews, name: str) -> None:
        super().__init__()
        self._views, self._prefix = views, f"grid {id(self)}"
        self._entries: tuple[Entry, ...] = ()
        self._size = QSize()
        self.setAccessibleName(name)
        self.setObjectName("pictures")
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setMovement(QListView.Movement.Static)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setWordWrap(False)
        self.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.setFont(theme.font(theme.NOTE))

    @property
    def entries(self) -> tuple[Entry, ...]:
        """What is shown."""
        return self._entries

    def show_entries(self, entries: Sequence[Entry], current: str = "") -> None:
        """Show these; pictures that are there already stand until they are drawn anew. current: key of the chosen
        one."""
        held = {self.item(i).data(Qt.ItemDataRole.UserRole): self.item(i).icon() for i in range(self.count())}  # type: ignore[union-attr]
        if [(entry.key, entry.name) for entry in entries] != [(entry.key, entry.name) for entry in self._entries]:
            self.blockSignals(True)
            self.clear()
            for entry in entries:
                item = QListWidgetItem(held.get(entry.key, QIcon()), entry.name)
                item.setData(Qt.ItemDataRole.UserRole, entry.key)
                item.setToolTip(plain(entry.name))
                self.addItem(item)
            self.blockSignals(False)
        self._entries = tuple(entries)
        self.choose(current)
        self._fit()

    def choose(self, key: str) -> None:
        """Make an entry the current one, without a signal."""
        keys = [entry.key for entry in self._entries]
        if key in keys:
            self.blockSignals(True)
            self.setCurrentRow(keys.index(key))
            self.blockSignals(False)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self._views.pictures.drop(self._prefix)

    def _fit(self) -> None:
        """Make the pictures as large as they all fit, and have them drawn."""
        bar = self.verticalScrollBar()
        area = self.contentsRect().adjusted(2, 2, -6 - (bar.sizeHint().width() if bar is not None else 0), -6)
        sizes = [QSize(_NARROWEST, round(_NARROWEST / 1.25))]
        for columns in range(1, len(self._entries) + 1):
            rows = -(-len(self._entries) // columns)
            room = QSize(area.width() // columns - _AROUND, area.height() // rows - _AROUND - _NAME)
            for aspect in _ASPECTS:
                width = min(room.width(), round(room.height() * aspect))
                if width >= _NARROWEST:
                    sizes.append(QSize(width, round(width / aspect)))
        # As large as the place allows; the model stands in the shorter side.
        size = max(sizes, key=lambda size: (min(size.width(), size.height()), size.width() * size.height()))
        if size != self._size:
            self._size = size
            self.setIconSize(size)
            self.setGridSize(QSize(size.width() + _AROUND, size.height() + _AROUND + _NAME))
        for place in range(self.count()):
            item = self.item(place)
            assert item is not None
            item.setSizeHint(self.gridSize())
        # Not later: rows of pictures that went would still have their places.
        self.scheduleDelayedItemsLayout()
        self.executeDelayedItemsLayout()
        self.draw()

    def draw(self) -> None:
        """Have all pictures drawn as the document is now."""
        self._views.pictures.drop(self._prefix)
        if not self.isVisible():
            return
        for place, entry in enumerate(self._entries):
            self._ask(place, entry)

    def _ask(self, place: int, entry: Entry) -> None:
        def take(image: QImage) -> None:
            item = self.item(place)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == entry.key:
                item.setIcon(_icon(image))

        self._views.pictures.request((self._prefix, place), entry.look, (self._size.width(), self._size.height()), take)

    def collect(self, size: tuple[int, int], done: Callable[[list[tuple[QImage, str]]], None]) -> None:
        """Have all pictures that are shown now drawn at a size, in logical pixels, and hand them over with their
        names."""
        entries = self._entries
        found: dict[int, QImage] = {}

        def take(place: int, image: QImage) -> None:
            found[place] = image
            if len(found) == len(entries):
                done([(found[i], entry.name) for i, entry in enumerate(entries)])

        for place, entry in enumerate(entries):
            self._views.pictures.request(
                (f"{self._prefix} sheet", place), entry.look, size, lambda image, place=place: take(place, image)  # type: ignore[misc]
            )  # fmt: skip


def _icon(image: QImage) -> QIcon:
    """The picture as it is, chosen or not."""
    icon, pixmap = QIcon(), QPixmap.fromImage(image)
    for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
        icon.addPixmap(pixmap, mode)
    return icon
