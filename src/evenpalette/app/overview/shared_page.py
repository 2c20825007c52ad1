"""The values that assets share: chosen, tried out on all pictures, taken in all projects that follow them."""

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import QDoubleSpinBox, QInputDialog, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from evenpalette.app.overview.gatherer import Gatherer
from evenpalette.app.plain import entry, plain
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.timers import timer
from evenpalette.app.widgets.basics import button, counted, label, row
from evenpalette.app.widgets.color_field import ColorField
from evenpalette.core.collection.across import Taken, add_shared, take_everywhere, with_shared
from evenpalette.core.collection.model import Collection, SharedValue
from evenpalette.core.collection.shared import take
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.names import listed
from evenpalette.core.values import Value, value_text

_SWATCH = QSize(24, 16)


class SharedPage(QWidget):
    """Left of the pictures."""

    #: What follows the chosen value is to stand out: its id, '' for none.
    followed = pyqtSignal(str)

    def __init__(self, session: Session, gatherer: Gatherer) -> None:
        super().__init__()
        self._session, self._gatherer = session, gatherer
        self._taken: tuple[str, Value] | None = None
        self.list = QListWidget()
        self.list.setAccessibleName("Shared values")
        self.list.setIconSize(_SWATCH)
        self.list.currentRowChanged.connect(lambda _: self._show())
        self.new = button("New ...", self.ask_new, "link", "Share another color or number")
        self._none = label(
            "Nothing is shared yet. A color or a number\nthat is shared is changed once, and all\nprojects that follow it change with it.",
            "note",
        )
        self.color = ColorField()
        self.color.edited.connect(self.try_out)
        self.number = QDoubleSpinBox()
        self.number.setRange(-1e9, 1e9)
        self.number.setDecimals(3)
        self.number.setSingleStep(0.05)
        self.number.setAccessibleName("Value")
        self.number.valueChanged.connect(self.try_out)
        self._effect = label("", "note")
        self._effect.setWordWrap(True)
        self._effect.setAccessibleName("What would change")
        self.take = button(
            "Take it", self.take_it, "primary", "Save the value, and all projects that follow it with it"
        )
        self.back = button("As it was", self._as_it_was, "link", "Change nothing")
        self.undo = button("Take it back", self.take_back, "link", "Give it the value that it had, everywhere")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 8, 8)
        layout.setSpacing(6)
        layout.addWidget(row(label("Shared values", "heading"), None, self.new))
        layout.addWidget(self._none)
        layout.addWidget(self.list, 1)
        layout.addWidget(row(self.color, self.number, None))
        layout.addWidget(self._effect)
        layout.addWidget(row(self.take, self.back, self.undo, None))
        self.setFixedWidth(264)
        self.setObjectName("chrome")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        gatherer.listed.connect(self.refresh)
        # Many become known one after the other.
        self._soon = timer(self, 100)
        self._soon.timeout.connect(self._say)
        gatherer.known.connect(lambda _: self._soon.start())
        self.refresh()

    def current(self) -> SharedValue | None:
        """The value that is chosen."""
        item = self.list.currentItem()
        key = item.data(Qt.ItemDataRole.UserRole) if item is not None else ""
        return next((s for s in self._gatherer.collection.shared if s.id == key), None)

    def choose(self, shared: str) -> None:
        """Have a value as the chosen one."""
        for place in range(self.list.count()):
            item = self.list.item(place)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == shared:
                self.list.setCurrentRow(place)

    def choose_none(self) -> None:
        """Look at no shared value: all assets are shown as they are chosen."""
        if self._gatherer.tried is not None:
            self._gatherer.tried = None
        self.list.setCurrentRow(-1)
        self._show()

    def refresh(self) -> None:
        """Show the values as the collection has them."""
        chosen = self.current()
        self.list.blockSignals(True)
        self.list.clear()
        for shared in self._gatherer.collection.shared:
            item = QListWidgetItem(_swatch(shared), f"{entry(shared.name)}    {value_text(shared.value)}")
            item.setData(Qt.ItemDataRole.UserRole, shared.id)
            item.setToolTip(plain(f"{shared.name}: {value_text(shared.value)}"))
            self.list.addItem(item)
        self.list.setCurrentRow(-1)
        self.list.blockSignals(False)
        if chosen is not None:
            self.choose(chosen.id)
        self._show()

    def _show(self) -> None:
        shared = self.current()
        has = bool(self._gatherer.collection.shared)
        self._none.setVisible(not has)
        self.list.setVisible(has)
        self.color.setVisible(shared is not None and shared.type == "color")
        self.number.setVisible(shared is not None and shared.type == "number")
        if shared is not None and self._gatherer.tried is None:
            if shared.type == "color":
                self.color.set_color(str(shared.value))
            else:
                self.number.blockSignals(True)
                self.number.setValue(float(shared.value))
                self.number.blockSignals(False)
        self.followed.emit("" if shared is None else shared.id)
        self._say()

    def _say(self) -> None:
        shared, tried = self.current(), self._gatherer.tried
        self.take.setVisible(tried is not None)
        self.back.setVisible(tried is not None)
        self.undo.setVisible(tried is None and self._taken is not None)
        if shared is None:
            self._effect.setText("")
            return
        follow, change, own, values = 0, [], 0, 0
        for asset in self._gatherer.assets:
            found = [c for c in self._gatherer.changes(asset) if c.follow.shared == shared.id]
            follow += bool(found)
            if any(c.changes for c in found):
                change.append(asset.name)
                values += sum(c.changes for c in found)
            own += sum(c.is_own for c in found)
        stays = (
            f" {counted(own, 'value')} set otherwise there: {'it stays' if own == 1 else 'they stay'}." if own else ""
        )
        if tried is None and not change:
            words = (
                f"{counted(follow, 'asset')} follow{'s' if follow == 1 else ''} it."
                if follow
                else "Nothing follows it yet."
            )
        else:
            words = f"{counted(values, 'value')} of {listed(change) if change else 'no asset'} would change."
        self._effect.setText(words + stays)
        self.take.setText(f"Take it in {counted(len(change), 'project')}")
        self.take.setVisible(tried is not None or bool(change))

    def try_out(self, value: Value) -> None:
        """Show all pictures as they would be with another value; nothing is written."""
        shared = self.current()
        if shared is None:
            return
        try:
            tried = with_shared(self._gatherer.collection, shared.id, value)
        except EvenPaletteError as error:
            self._session.said.emit(str(error), True)
            return
        self._gatherer.tried = None if tried == self._gatherer.collection else tried
        self._gatherer.redraw()
        self._say()

    def _as_it_was(self) -> None:
        self._gatherer.tried = None
        self._gatherer.redraw()
        self._show()

    def take_it(self) -> None:
        """Write the value, and take it in all projects that follow it."""
        shared = self.current()
        tried = self._gatherer.tried or self._gatherer.collection
        if shared is None:
            return
        before = shared.value
        if self._write(tried):
            self._taken = (shared.id, before)

    def take_back(self) -> None:
        """Give the value that was taken last what it had before, everywhere."""
        if self._taken is None:
            return
        shared, value = self._taken
        try:
            former = with_shared(self._gatherer.collection, shared, value)
        except EvenPaletteError as error:
            self._session.said.emit(str(error), True)
            return
        if self._write(former):
            self._taken = None

    def _write(self, wanted: Collection) -> bool:
        gatherer, session = self._gatherer, self._session
        file = gatherer.file
        if file is None or session.tasks.is_busy:
            session.said.emit("Something else is still being done. Wait for it, then take the value.", True)
            return False
        if wanted != gatherer.collection and not gatherer.write(lambda _: wanted):
            gatherer.tried = None
            gatherer.read_again()
            return False
        gatherer.tried = None
        here = session.path.resolve() if session.path is not None else None
        mine = next((asset for asset in gatherer.assets if gatherer.is_open_here(asset)), None)
        if mine is not None:
            changes = [c for c in gatherer.changes(mine) if c.changes]
            if changes:
                session.apply("Take shared values", lambda s: take(s, changes))

        def done(taken: list[Taken]) -> None:
            count = [t.name for t in taken if t.count]
            wrong = [f"{t.name}: {t.problem}" for t in taken if t.problem]
            for asset in gatherer.assets:
                try:
                    gatherer.describe(asset)
                except EvenPaletteError as error:
                    asset.problem = str(error)
            self.refresh()
            gatherer.redraw()
            gatherer.look_at_deliveries()
            words = f"Taken in {listed(count)}." if count else "No saved project was changed."
            if mine is not None:
                words += f" {mine.name} is open here: save it to keep it."
            session.said.emit(f"{words} {' '.join(wrong[:2])}".strip(), bool(wrong))

        session.tasks.start(
            Task(
                "Taking shared values",
                lambda progress: take_everywhere(file, wanted, progress, besides=here),
                done,
                session.failed,
            )
        )
        return True

    def ask_new(self) -> None:
        """Ask for another shared value."""
        name, done = QInputDialog.getText(self, "Share a value", "Name, as in Guild red")
        if not done or not name.strip():
            return
        text, done = QInputDialog.getText(self, "Share a value", "A color as #a02020, or a number", text="#a02020")
        if done:
            self.share(name.strip(), text.strip())

    def share(self, name: str, text: str) -> None:
        """Share another value: a color, or a number."""
        try:
            value: str | float = text if text.startswith("#") else float(text.replace(",", "."))
        except ValueError:
            self._session.said.emit(f"'{text}' is neither a color, as #a02020, nor a number.", True)
            return
        made: list[SharedValue] = []

        def change(collection: Collection) -> Collection:
            changed, shared = add_shared(collection, name, value)
            made.append(shared)
            return changed

        if self._gatherer.write(change):
            self.refresh()
            self.choose(made[0].id)


def _swatch(shared: SharedValue) -> QIcon:
    picture = QPixmap(_SWATCH)
    picture.fill(QColor(0, 0, 0, 0))
    if shared.type == "color":
        painter = QPainter(picture)
        painter.setPen(QColor("#8c8c8c"))
        painter.setBrush(QColor(str(shared.value)))
        painter.drawRect(0, 0, _SWATCH.width() - 1, _SWATCH.height() - 1)
        painter.end()
    icon = QIcon()
    for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
        icon.addPixmap(picture, mode)
    return icon
