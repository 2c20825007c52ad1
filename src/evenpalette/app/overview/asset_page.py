"""The chosen asset: what it is shown in, what is wrong with it, what of it follows a shared value."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QListWidget, QMenu, QVBoxLayout, QWidget

from evenpalette.app.overview.gatherer import Asset, Gatherer
from evenpalette.app.overview.shared_page import SharedPage
from evenpalette.app.plain import entry, plain
from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import button, choice, label, list_actions, row
from evenpalette.core.collection.model import SharedValue
from evenpalette.core.collection.shared import follow, may_follow, part
from evenpalette.core.document.state import State
from evenpalette.core.document.variant import DEFAULTS_NAME
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.storage.held import check_free
from evenpalette.core.storage.storage import Storage
from evenpalette.core.values import value_text

_MOST_OFFERS = 60


class AssetPage(QWidget):
    """Right of the pictures."""

    def __init__(
        self, session: Session, gatherer: Gatherer, shared: SharedPage, open_asset: Callable[[Asset], None]
    ) -> None:
        super().__init__()
        self._session, self._gatherer, self._shared, self._open = session, gatherer, shared, open_asset
        self._asset: Asset | None = None
        self._title = label("", "heading")
        self._path = label("", "note")
        self._path.setWordWrap(True)
        self.variant = choice("Shown in")
        self.variant.setMinimumWidth(168)
        self.variant.activated.connect(self._show_in)
        self.findings = QListWidget()
        self.findings.setAccessibleName("Findings of the asset")
        self.findings.setWordWrap(True)
        self.findings.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._state = label("", "note")
        self._state.setWordWrap(True)
        self.follows = QListWidget()
        self.follows.setAccessibleName("Values that follow")
        self.follows.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        list_actions(self.follows, [("Let it follow nothing", "Del", self.part_it)])
        self.offer = button(
            "A value follows ...", self._offer, "link", "Let a value of this asset follow the chosen shared one"
        )
        self.open = button("Open", self._open_it, "primary", "Open this project in the window (Enter)")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 12, 8)
        layout.setSpacing(6)
        layout.addWidget(row(self._title, None, self.open))
        layout.addWidget(self._path)
        layout.addWidget(row(label("Shown in", "note"), self.variant, None))
        layout.addWidget(self._state)
        layout.addWidget(self.findings, 1)
        layout.addWidget(row(label("Follows", "heading"), None, self.offer))
        layout.addWidget(self.follows, 1)
        self.setFixedWidth(272)
        self.setObjectName("chrome")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)

    def show_asset(self, asset: Asset | None) -> None:
        """Show what is known of an asset."""
        self._asset = asset
        self.setEnabled(asset is not None)
        if asset is None:
            self._title.setText("")
            return
        metrics = self._title.fontMetrics()
        self._title.setText(metrics.elidedText(asset.name, Qt.TextElideMode.ElideRight, 180))
        self._path.setText(asset.collected.path)
        self.variant.clear()
        self.variant.addItem(DEFAULTS_NAME, None)
        for variant in asset.project.variants if asset.project is not None else ():
            self.variant.addItem(variant.name, variant.id)
        self.variant.setCurrentIndex(max(0, self.variant.findData(asset.variant)))
        self.open.setEnabled(asset.project is not None)
        self.findings.clear()
        if asset.problem:
            self._state.setText(asset.problem)
        elif asset.findings is None:
            self._state.setText("Being looked at ...")
        else:
            words = f"{len(asset.findings)} findings" if len(asset.findings) != 1 else "1 finding"
            self._state.setText(f"{words if asset.findings else 'In order'}, {asset.delivered}.")
            for finding in asset.findings:
                self.findings.addItem(finding.text)
        self.findings.setVisible(bool(asset.findings))
        self._show_follows(asset)

    def _show_follows(self, asset: Asset) -> None:
        self.follows.clear()
        project = asset.project
        if project is None:
            return
        shared = {s.id: s.name for s in self._gatherer.collection.shared}
        for change in self._gatherer.changes(asset):
            one = change.follow
            parameter = next((p.name for p in project.parameters if p.id == one.parameter), one.parameter)
            variant = next((f" of {v.name}" for v in project.variants if v.id == one.variant), "")
            own = ", set otherwise" if change.is_own else ""
            self.follows.addItem(f"{parameter}{variant}: {shared.get(one.shared, one.shared)}{own}")
            item = self.follows.item(self.follows.count() - 1)
            assert item is not None
            item.setData(Qt.ItemDataRole.UserRole, (one.parameter, one.variant))
            item.setToolTip(plain(item.text()))

    def _open_it(self) -> None:
        if self._asset is not None:
            self._open(self._asset)

    def _show_in(self, index: int) -> None:
        if self._asset is not None:
            self._asset.variant = self.variant.itemData(index)
            self._gatherer.redraw()
            self._gatherer.known.emit(self._gatherer.assets.index(self._asset))

    def _offer(self) -> None:
        shared, asset = self._shared.current(), self._asset
        if shared is None or asset is None or asset.project is None:
            self._session.said.emit("Choose a shared value first, on the left.", True)
            return
        menu = QMenu(self)
        for words, parameter, variant in self.offers(asset, shared)[:_MOST_OFFERS]:
            menu.addAction(entry(words), lambda p=parameter, v=variant: self.follow_it(p, v))
        if menu.isEmpty():
            action = menu.addAction(f"No parameter is a {shared.type}")
            assert action is not None
            action.setEnabled(False)
        menu.exec(self.offer.mapToGlobal(QPoint(0, self.offer.height())))

    def offers(self, asset: Asset, shared: SharedValue) -> list[tuple[str, str, str | None]]:
        """Values that could follow a shared one, those that are it already first: in words, parameter, variant."""
        project = asset.project
        if project is None:
            return []
        taken = {(c.follow.parameter, c.follow.variant) for c in self._gatherer.changes(asset)}
        found = []
        for parameter in project.parameters:
            if not may_follow(parameter.type, shared):
                continue
            places = [(None, DEFAULTS_NAME, parameter.default)]
            places += [(v.id, v.name, v.values[parameter.id]) for v in project.variants if parameter.id in v.values]  # type: ignore[misc]
            for variant, name, value in places:
                if (parameter.id, variant) not in taken:
                    words = f"{parameter.name} of {name}: {value_text(value, parameter.unit)}"
                    found.append((value != shared.value, words, parameter.id, variant))
        return [(words, parameter, variant) for _, words, parameter, variant in sorted(found, key=lambda f: f[0])]

    def follow_it(self, parameter: str, variant: str | None) -> None:
        """Let a value of the asset follow the chosen shared one."""
        shared, file = self._shared.current(), self._gatherer.file
        if shared is not None and file is not None:
            self._change("Follow a shared value", lambda s: follow(s, parameter, variant, file.path, shared))

    def part_it(self) -> None:
        """Let the chosen value follow nothing any more."""
        item = self.follows.currentItem()
        if item is not None:
            parameter, variant = item.data(Qt.ItemDataRole.UserRole)
            self._change("Follow nothing", lambda s: part(s, parameter, variant))

    def _change(self, words: str, edit: Callable[[State], State]) -> None:
        """Change the asset: as a step of the history where it is open here, else in its file."""
        asset, session = self._asset, self._session
        if asset is None or asset.project is None:
            return
        if self._gatherer.is_open_here(asset):
            session.apply(words, edit)
        else:
            try:
                check_free(asset.folder)
                storage = Storage(asset.folder)
                storage.save_description(edit(State(storage.open_description())).project)
                self._gatherer.describe(asset)
            except EvenPaletteError as error:
                session.said.emit(str(error), True)
                return
        self._gatherer.redraw()
        self._gatherer.known.emit(self._gatherer.assets.index(asset))
        self._shared.refresh()
