"""The search for things to do, the help sheet, the history and the recovery question."""

from collections.abc import Callable
from datetime import datetime

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor, QKeyEvent
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFrame,
    QGridLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.verbs import Verb
from evenpalette.app.widgets.basics import label
from evenpalette.app.widgets.forms import ending
from evenpalette.core.storage.autosave import Recoverable

POINTER_HELP = (
    ("Turn Form", "drag"), ("Move Form", "right or middle drag"), ("Move Flat", "drag"), ("Nearer, farther", "wheel, + and -"),
    ("Select a region", "click on a view"), ("Show all", "double-click"), ("Move the wipe", "drag its line"),
    ("Reset a slider", "double-click, Del"), ("Finer slider steps", "Shift+arrows"),
)  # fmt: skip


class SearchBox(QFrame):
    """Type a few letters, press Enter."""

    def __init__(self, verbs: list[Verb], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.setFixedSize(360, 320)
        self._verbs = verbs
        self.field = QLineEdit()
        self.field.setPlaceholderText("What do you want to do?")
        self.field.textChanged.connect(self._filter)
        self.field.returnPressed.connect(self._run)
        self.list = QListWidget()
        self.list.itemActivated.connect(lambda _: self._run())
        self.list.itemClicked.connect(lambda _: self._run())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        layout.addWidget(self.field)
        layout.addWidget(self.list)
        self._filter("")

    def open_at(self, place: QPoint) -> None:
        """Show the box with its top right corner at a place of the screen."""
        self.move(place.x() - self.width(), place.y())
        self.show()
        self.field.setFocus()

    def _filter(self, text: str) -> None:
        words = text.lower().split()
        self.list.clear()
        for verb in self._verbs:
            if all(word in f"{verb.group} {verb.name}".lower() for word in words):
                item = QListWidgetItem(f"{verb.name}    {verb.keys}")
                item.setData(Qt.ItemDataRole.UserRole, verb)
                item.setToolTip(plain(verb.group))
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            verb = item.data(Qt.ItemDataRole.UserRole)
            self.close()
            verb.run()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            offset = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(min(self.list.count() - 1, max(0, self.list.currentRow() + offset)))
        else:
            super().keyPressEvent(event)


class HelpSheet(QDialog):
    """Every shortcut on one page."""

    def __init__(self, verbs: list[Verb], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys and pointer")
        grid = QGridLayout()
        grid.setHorizontalSpacing(24)
        grid.setVerticalSpacing(3)
        groups: dict[str, list[tuple[str, str]]] = {}
        for verb in verbs:
            if verb.keys:
                groups.setdefault(verb.group, []).append((verb.name, verb.keys))
        groups["Pointer"] = list(POINTER_HELP)
        column, line, longest = 0, 0, 19
        for group, rows in groups.items():
            if line and line + len(rows) + 1 > longest:
                column, line = column + 2, 0
            grid.addWidget(label(group.upper(), "section"), line, column, 1, 2)
            line += 1
            for name, keys in rows:
                shown = label(keys)
                theme.restyle(shown, f"color: {theme.ACCENT};")
                grid.addWidget(label(name), line, column)
                grid.addWidget(shown, line, column + 1)
                line += 1
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 20, 24, 16)
        layout.addLayout(grid)
        layout.addWidget(ending(self)[0])


class HistoryDialog(QDialog):
    """All changes; choosing one goes there."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("History")
        self.resize(340, 420)
        self._session = session
        self.list = QListWidget()
        self._fill()
        self.list.currentRowChanged.connect(self._go)
        layout = QVBoxLayout(self)
        layout.addWidget(
            label("Choose a change to go back to; nothing is lost until you change something there.", "note")
        )
        layout.addWidget(self.list)

    def _fill(self) -> None:
        for index, text in enumerate(self._session.history.labels):
            item = QListWidgetItem(text)
            if index > self._session.history.position:
                item.setForeground(QColor("#9a9a9a"))
            self.list.addItem(item)
        self.list.setCurrentRow(self._session.history.position)

    def _go(self, position: int) -> None:
        self._session.move_to(position)
        for index in range(self.list.count()):
            item = self.list.item(index)
            assert item is not None
            item.setForeground(QColor("#9a9a9a" if index > position else theme.INK))


class RecoveryDialog(QDialog):
    """Offers unsaved work that a crash left behind."""

    def __init__(
        self,
        found: list[Recoverable],
        recover: Callable[[Recoverable], None],
        forget: Callable[[Recoverable], None],
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Unsaved work")
        self.resize(620, 300)
        self._recover, self._forget, self._found = recover, forget, found
        self.list = QListWidget()
        self.list.setAccessibleName("Unsaved work")
        # Where it is from ends with what tells one from the other.
        self.list.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        for item in found:
            when = datetime.fromtimestamp(item.saved_at).strftime("%d %b %Y, %H:%M")
            line = f"{item.name}, {when}" + (f", from {item.project}" if item.project else ", never saved")
            self.list.addItem(line)
            self.list.item(self.list.count() - 1).setToolTip(plain(line))  # type: ignore[union-attr]
        self.list.setCurrentRow(0)
        buttons = QDialogButtonBox()
        open_button = buttons.addButton("Recover", QDialogButtonBox.ButtonRole.AcceptRole)
        drop = buttons.addButton("Delete it", QDialogButtonBox.ButtonRole.DestructiveRole)
        buttons.addButton("Later", QDialogButtonBox.ButtonRole.RejectRole)
        assert open_button is not None
        assert drop is not None
        buttons.accepted.connect(self._take)
        buttons.rejected.connect(self.reject)
        drop.clicked.connect(self._drop)
        layout = QVBoxLayout(self)
        layout.addWidget(label("The program ended before these were saved:", ""))
        layout.addWidget(self.list)
        layout.addWidget(buttons)

    def _take(self) -> None:
        item = self._found[self.list.currentRow()]
        self.accept()
        self._recover(item)

    def _drop(self) -> None:
        row = self.list.currentRow()
        if row >= 0:
            self._forget(self._found.pop(row))
            self.list.takeItem(row)
        if not self._found:
            self.reject()
