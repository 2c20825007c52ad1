"""A list of things of the document that have names: rows drawn by a delegate, renamed in place, worked by keyboard."""

from collections.abc import Callable

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QPoint, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QLineEdit,
    QListView,
    QMenu,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from evenpalette.app.plain import plain
from evenpalette.app.widgets.basics import list_actions


class NamedModel(QAbstractListModel):
    """What a list shows; says what stands in each row, what it is called and how it is renamed."""

    def entries(self) -> list:
        """What the rows show."""
        raise NotImplementedError

    def name(self, entry: object) -> str:
        """What an entry is called."""
        raise NotImplementedError

    def tip(self, entry: object) -> str:
        """What is said of an entry under the pointer."""
        raise NotImplementedError

    def rename(self, entry: object, name: str) -> bool:
        """Give an entry another name."""
        raise NotImplementedError

    def may_rename(self, entry: object) -> bool:
        """Whether an entry has a name of its own."""
        return True

    def entry(self, index: QModelIndex) -> object:
        """What a row shows, None where there is none."""
        rows = self.entries()
        return rows[index.row()] if 0 <= index.row() < len(rows) else None

    def refresh(self) -> None:
        """The entries are others now."""
        self.beginResetModel()
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self.entries())

    def _holds(self, index: QModelIndex) -> bool:
        return 0 <= index.row() < len(self.entries())

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        flags = super().flags(index)
        return (
            flags | Qt.ItemFlag.ItemIsEditable if self._holds(index) and self.may_rename(self.entry(index)) else flags
        )

    def data(self, index: QModelIndex, role: int = 0) -> object:
        if not self._holds(index):
            return None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return self.name(self.entry(index))
        return plain(self.tip(self.entry(index))) if role == Qt.ItemDataRole.ToolTipRole else None

    def setData(self, index: QModelIndex, value: object, role: int = 0) -> bool:
        if role != Qt.ItemDataRole.EditRole or not self._holds(index):
            return False
        entry, name = self.entry(index), str(value).strip()
        return self.may_rename(entry) and name != self.name(entry) and self.rename(entry, name)


class NamedDelegate(QStyledItemDelegate):
    """Where the name of a row is edited; what is drawn is up to the list."""

    def editor_rect(self, option: QStyleOptionViewItem) -> tuple[int, int, int, int]:
        """Left, top, width and height of the field in which a name is typed."""
        raise NotImplementedError

    def createEditor(self, parent: QWidget | None, _option: QStyleOptionViewItem, _index: QModelIndex) -> QWidget:
        return QLineEdit(parent)

    def updateEditorGeometry(self, editor: QWidget | None, option: QStyleOptionViewItem, _index: QModelIndex) -> None:
        assert editor is not None
        editor.setGeometry(*self.editor_rect(option))


class NamedList(QListView):
    """The list itself. actions: what can be done to a row, (text, keys, function), also by a right click.

    offered: which of them the menu offers for a row; all where it is not given.
    """

    def __init__(
        self,
        model: NamedModel,
        delegate: NamedDelegate,
        name: str,
        actions: list[tuple[str, str, Callable[[], object]]],
        offered: Callable[[int], slice] = lambda _row: slice(None),
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._named, self._offered = model, offered
        self.setAccessibleName(name)
        self.setObjectName("bare")
        self.setModel(model)
        delegate.setParent(self)
        self.setItemDelegate(delegate)
        self.setEditTriggers(QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._menu)
        rename = ("Rename", "F2", lambda: self.edit(self.currentIndex()))
        self._actions = list_actions(self, [rename, *actions])

    def _menu(self, place: QPoint) -> None:
        index = self.indexAt(place)
        if index.isValid():
            self.setCurrentIndex(index)
            menu = QMenu(self)
            menu.addActions(self._actions[self._offered(index.row())])
            menu.exec(self.viewport().mapToGlobal(place))  # type: ignore[union-attr]

    def current_entry(self) -> object:
        """What the current row shows."""
        return self._named.entry(self.currentIndex())
