"""All assets of a collection over the window: pictures that show what is shared, with what stands beside them."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QImage, QKeyEvent, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QListView,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app import theme
from evenpalette.app.overview.asset_page import AssetPage
from evenpalette.app.overview.gatherer import Asset, Gatherer
from evenpalette.app.overview.scene import Member, SceneDialog
from evenpalette.app.overview.shared_page import SharedPage
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.settings import delivered_to, remember_delivery
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import button, choice, counted, label, row, tool
from evenpalette.core.batch.deliver import deliver_all
from evenpalette.core.batch.delivery import FAILED, AssetReport
from evenpalette.core.batch.delivery import Asset as Delivered
from evenpalette.core.batch.executors import executor_named
from evenpalette.core.batch.wish import Wish
from evenpalette.core.collection import ENDING
from evenpalette.core.collection.files import CollectionFile
from evenpalette.core.collection.model import Collection, VariantSet, free_id
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.parallel import Progress

#: Around a picture, and beneath it for its words.
_AROUND, _WORDS = 28, 66
#: Assets that stand in one scene.
_MOST_IN_SCENE = 24
#: How much of an asset that does not follow the chosen value is seen.
_PALE = 0.22


class Overview(QWidget):
    """Covers the benches and the views while it is open."""

    def __init__(self, session: Session, over: QWidget, open_project: Callable[[Path], None]) -> None:
        """over: what it covers. open_project: opens one in the window."""
        super().__init__(over)
        self._session, self._open_project = session, open_project
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.gatherer = Gatherer(session)
        self._pictures: dict[str, QImage] = {}
        self._some_follow = False
        head = self._head()
        self.grid = self._grid()
        self.shared = SharedPage(session, self.gatherer)
        self.asset = AssetPage(session, self.gatherer, self.shared, self._open)
        self.shared.followed.connect(self._stand_out)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(head)
        below = QHBoxLayout()
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(0)
        below.addWidget(self.shared)
        below.addWidget(self.grid, 1)
        below.addWidget(self.asset)
        layout.addLayout(below, 1)
        self.gatherer.listed.connect(self.refresh)
        self.gatherer.drawn.connect(self._take_picture)
        self.gatherer.known.connect(self._know)
        self.gatherer.failed.connect(self._failed)
        self.hide()
        over.installEventFilter(self)

    def _head(self) -> QWidget:
        """What stands over the pictures."""
        self._title = label("", "heading")
        self.sets = choice("Set")
        self.sets.setMinimumWidth(170)
        self.sets.activated.connect(self._take_set)
        self.keep_set = button("Keep as a set ...", self.ask_set, "link", "The variants that are shown now, by a name")
        self.scene = button(
            "In one scene ...", self.show_scene, tip="All assets as they are shown now beside each other"
        )
        self._facts = label("", "note")
        add = button(
            "Add projects ...", self.ask_projects, tip="Projects that lie in the collection's folder or beneath"
        )
        self.deliver_all = button(
            "Deliver ...", self.ask_delivery, "primary", "Deliver all assets; what is unchanged is not made again"
        )
        head = QWidget()
        head.setObjectName("chrome")
        inner = QVBoxLayout(head)
        inner.setContentsMargins(12, 5, 8, 5)
        close = tool("x", "Close the collection (Esc)", self.close_overview)
        inner.addWidget(
            row(
                self._title, 8, self.sets, self.keep_set, self.scene, self._facts, None, add, self.deliver_all, close,
                spacing=8,
            )
        )  # fmt: skip
        return head

    def _grid(self) -> QListWidget:
        """A picture of each asset."""
        made = QListWidget()
        made.setAccessibleName("Assets")
        made.setObjectName("pictures")
        made.setViewMode(QListView.ViewMode.IconMode)
        made.setMovement(QListView.Movement.Static)
        made.setResizeMode(QListView.ResizeMode.Adjust)
        made.setFont(theme.font(theme.NOTE))
        made.setWordWrap(True)
        made.itemActivated.connect(lambda _: self._open_current())
        made.currentRowChanged.connect(lambda _: self._show_current())
        return made

    def open_file(self, path: Path) -> None:
        """Show a collection."""
        self._pictures.clear()
        self._title.setText(path.name.removesuffix(ENDING))
        self.gatherer.open(path)
        told = delivered_to(path)
        self.gatherer.out = Path(told) if told else None
        self.setGeometry(self.parentWidget().rect())  # type: ignore[union-attr]
        self.show()
        self.raise_()
        self.grid.setFocus()

    def make_file(self, path: Path) -> None:
        """Begin a collection, with the project that is open where it lies there."""
        file = CollectionFile(path)
        here = self._session.path
        try:
            made = Collection(name=path.name.removesuffix(ENDING) or "Collection")
            if here is not None and here.resolve().is_relative_to(path.parent.resolve()):
                made = file.with_projects(made, [here])
            file.write(made)
        except (EvenPaletteError, ValueError) as error:
            self._session.said.emit(str(error).splitlines()[0], True)
            return
        self.open_file(path)

    def close_overview(self) -> None:
        """Back to the project; what is tried out is dropped."""
        self.gatherer.close()
        self.hide()

    def _failed(self, words: str) -> None:
        self.close_overview()
        self._session.said.emit(words, True)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.close_overview()
        else:
            super().keyPressEvent(event)

    def eventFilter(self, _: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() is QEvent.Type.Resize:
            self.setGeometry(self.parentWidget().rect())  # type: ignore[union-attr]
        return False

    # --- what is shown -------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the assets as they are listed now."""
        collection = self.gatherer.collection
        metrics = self._title.fontMetrics()
        self._title.setText(metrics.elidedText(collection.name, Qt.TextElideMode.ElideRight, 200))
        chosen = self.current()
        self.grid.blockSignals(True)
        self.grid.clear()
        size = self.gatherer.picture_size
        tile = QSize(size + _AROUND, size + _WORDS)
        self.grid.setIconSize(QSize(size, size))
        self.grid.setGridSize(tile)
        for asset in self.gatherer.assets:
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, asset.collected.id)
            item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
            item.setSizeHint(tile)
            self.grid.addItem(item)
        keys = [asset.collected.id for asset in self.gatherer.assets]
        self.grid.setCurrentRow(keys.index(chosen.collected.id) if chosen and chosen.collected.id in keys else 0)
        self.grid.blockSignals(False)
        for place in range(len(self.gatherer.assets)):
            self._show_tile(place)
        self._say_facts()
        self._show_sets()
        self._show_current()

    def _show_sets(self) -> None:
        held = self.sets.currentData()
        self.sets.clear()
        self.sets.addItem("Each as it was left", "")
        for one in self.gatherer.collection.sets:
            self.sets.addItem(one.name, one.id)
        self.sets.setCurrentIndex(max(0, self.sets.findData(held)))

    def _show_tile(self, place: int) -> None:
        asset, item = self.gatherer.assets[place], self.grid.item(place)
        if item is None:
            return
        name = self.grid.fontMetrics().elidedText(
            asset.name, Qt.TextElideMode.ElideRight, self.gatherer.picture_size + 16
        )
        variant = asset.variant_name(self.gatherer.shown_variant(asset))
        item.setText("\n".join([name, variant, _standing(asset)]))
        item.setToolTip(plain(f"{asset.name}, {variant}: {asset.problem or _standing(asset)}"))
        picture = self._pictures.get(asset.collected.id)
        pale = bool(self.gatherer.focus) and self._some_follow and not self.gatherer.follows_focus(asset)
        item.setIcon(_icon(picture, self.gatherer.picture_size, pale=pale))

    def _say_facts(self) -> None:
        assets = self.gatherer.assets
        wrong = sum(bool(asset.findings or asset.problem) for asset in assets)
        self._facts.setText(f"{counted(len(assets), 'asset')}, {wrong} with findings")

    def _take_picture(self, place: int, pixels: object) -> None:
        if place >= len(self.gatherer.assets):
            return
        height, width = pixels.shape[:2]  # type: ignore[attr-defined]
        image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()  # type: ignore[attr-defined]
        self._pictures[self.gatherer.assets[place].collected.id] = image
        self._show_tile(place)

    def _know(self, place: int) -> None:
        if place < len(self.gatherer.assets):
            self._some_follow |= self.gatherer.follows_focus(self.gatherer.assets[place])
            self._show_tile(place)
            self._say_facts()
            if self.grid.currentRow() == place:
                self._show_current()

    def _stand_out(self, shared: str) -> None:
        if shared != self.gatherer.focus:
            self.gatherer.focus = shared
            self.gatherer.redraw()
        self._some_follow = any(self.gatherer.follows_focus(asset) for asset in self.gatherer.assets)
        for place in range(len(self.gatherer.assets)):
            self._show_tile(place)

    def current(self) -> Asset | None:
        """The asset that is chosen."""
        item = self.grid.currentItem()
        key = item.data(Qt.ItemDataRole.UserRole) if item is not None else ""
        return next((a for a in self.gatherer.assets if a.collected.id == key), None)

    def choose(self, asset_id: str) -> None:
        """Have an asset as the chosen one."""
        keys = [asset.collected.id for asset in self.gatherer.assets]
        if asset_id in keys:
            self.grid.setCurrentRow(keys.index(asset_id))

    def _show_current(self) -> None:
        self.asset.show_asset(self.current())

    def _open_current(self) -> None:
        asset = self.current()
        if asset is not None:
            self._open(asset)

    def _open(self, asset: Asset) -> None:
        if asset.project is None:
            self._session.said.emit(asset.problem, True)
            return
        self.close_overview()
        self._open_project(asset.folder)

    # --- sets ----------------------------------------------------------------------------------------------------

    def _take_set(self, index: int) -> None:
        self.shared.choose_none()
        key = self.sets.itemData(index)
        chosen = next((one for one in self.gatherer.collection.sets if one.id == key), None)
        for asset in self.gatherer.assets:
            if asset.project is None:
                continue
            left = asset.project.active_variant
            asset.variant = chosen.members.get(asset.collected.id, left) if chosen is not None else left
        self.gatherer.redraw()
        for place in range(len(self.gatherer.assets)):
            self._show_tile(place)
        self._show_current()

    def show_scene(self) -> None:
        """Show the assets in the variants that are shown now in one scene."""
        key = self.sets.currentData()
        chosen = next((one for one in self.gatherer.collection.sets if one.id == key), None)
        members = [
            Member(a.folder, self._session.state if self.gatherer.is_open_here(a) else None, self.gatherer.shown_variant(a))
            for a in self.gatherer.assets
            if a.project is not None and (chosen is None or a.collected.id in chosen.members)
        ]  # fmt: skip
        if not members:
            self._session.said.emit("This set has no assets that can be shown.", True)
            return
        name = chosen.name if chosen is not None else self.gatherer.collection.name
        dialog = SceneDialog(self._session, name, members[:_MOST_IN_SCENE], self)
        dialog.exec()
        dialog.deleteLater()

    def ask_set(self) -> None:
        """Ask for the name of a set."""
        name, done = QInputDialog.getText(self, "Keep as a set", "Name, as in Ember")
        if done and name.strip():
            self.keep_as(name.strip())

    def keep_as(self, name: str) -> None:
        """Keep the variants that are shown now as a set, in place of one that has the name."""
        members = {a.collected.id: a.variant for a in self.gatherer.assets if a.variant is not None}

        def change(collection: Collection) -> Collection:
            known = next((s.id for s in collection.sets if s.name.lower() == name.lower()), None)
            try:
                made = VariantSet(
                    id=known or free_id(name, (s.id for s in collection.sets)), name=name, members=members
                )
            except ValueError as error:
                raise EvenPaletteError(f"'{name[:60]}' is no name of a set.") from error
            kept = tuple(made if s.id == known else s for s in collection.sets)
            return collection.model_copy(update={"sets": kept if known else (*kept, made)})

        if self.gatherer.write(change):
            self._show_sets()
            self.sets.setCurrentIndex(self.sets.findText(name))

    # --- projects and delivery -----------------------------------------------------------------------------------

    def ask_projects(self) -> None:
        """Ask for projects to add."""
        folder = str(self.gatherer.file.folder) if self.gatherer.file is not None else ""
        paths, _ = QFileDialog.getOpenFileNames(self, "Add projects", folder, "Even Palette projects (project.json)")
        if paths:
            self.add_projects([Path(path) for path in paths])

    def add_projects(self, paths: list[Path]) -> None:
        """Add projects to the collection."""
        file = self.gatherer.file
        if file is not None and self.gatherer.write(lambda held: file.with_projects(held, paths)):
            self.gatherer.read_again()

    def ask_delivery(self) -> None:
        """Ask for a folder and deliver into it."""
        begin = str(self.gatherer.out or "")
        folder = QFileDialog.getExistingDirectory(self, "Deliver all assets into", begin)
        if folder:
            self.deliver(Path(folder))

    def deliver(self, out: Path) -> None:
        """Deliver all assets, each into a folder of its own: images and kit; what is unchanged is not made again."""
        file = self.gatherer.file
        if file is None:
            return
        wanted = [Delivered(a.collected.id, a.folder, out / a.collected.id) for a in self.gatherer.assets if a.project]

        def work(progress: Progress) -> list[AssetReport]:
            executor = executor_named(None)
            try:
                return deliver_all(wanted, Wish.of(), executor, progress=progress)
            finally:
                executor.close()

        def done(reports: list[AssetReport]) -> None:
            remember_delivery(file.path, str(out))
            self.gatherer.out = out
            new = sum(report.written for report in reports)
            wrong = [f"{r.name}: {r.error}" for r in reports if r.status == FAILED]
            words = f"Delivered {counted(len(reports) - len(wrong), 'asset')} to {out}: {counted(new, 'new file')}."
            self._session.said.emit(f"{words} {' '.join(wrong[:2])}".strip(), bool(wrong))
            self.gatherer.look_at_deliveries()

        self._session.tasks.start(Task("Delivering the collection", work, done, self._session.failed))


def _standing(asset: Asset) -> str:
    """How an asset stands, in a few words."""
    if asset.problem:
        return "cannot be opened"
    if asset.findings is None:
        return "..."
    words = "in order" if not asset.findings else counted(len(asset.findings), "finding")
    return f"{words}, {asset.delivered}"


def _icon(picture: QImage | None, size: int, *, pale: bool) -> QIcon:
    """The picture, chosen or not; pale where it does not belong to what is looked at."""
    canvas = QPixmap(size, size)
    canvas.fill(QColor(0, 0, 0, 0))
    if picture is not None:
        painter = QPainter(canvas)
        painter.setOpacity(_PALE if pale else 1.0)
        painter.drawImage(0, 0, picture)
        painter.end()
    icon = QIcon()
    for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
        icon.addPixmap(canvas, mode)
    return icon
