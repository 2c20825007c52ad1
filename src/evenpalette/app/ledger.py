"""The ledger: the regions, always there; the selected one is the subject everywhere. Below it, what is wrong."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QModelIndex, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QListWidget,
    QListWidgetItem,
    QSizePolicy,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from evenpalette.app import theme
from evenpalette.app.facets import ACTIVE, ASSET, COVERAGES, RECIPE, REGIONS, VALUES, VARIANTS
from evenpalette.app.ledger_rows import RegionDelegate, RegionModel
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import button, counted, label, list_actions, row
from evenpalette.app.widgets.named_list import NamedList
from evenpalette.core.document.state import State
from evenpalette.core.edits import regions as edit
from evenpalette.core.edits.ignoring import heed, ignore
from evenpalette.core.edits.tone import tint_parameter_of
from evenpalette.core.edits.variants import activate, find_variant
from evenpalette.core.findings.finding import Finding
from evenpalette.core.regions.region_set import Division, Region

if TYPE_CHECKING:
    from evenpalette.core.findings.kind import Mend

ROW_HEIGHT, HEADING_HEIGHT = 40, 24


#: What was left is there, and no more.
_LEFT = "#9a9a9a"


def _is_wrong(finding: Finding) -> bool:
    """Whether a finding makes a result wrong."""
    from evenpalette.core.findings.ranking import Weight, weight  # what is found is looked for behind the first picture

    return weight(finding) is Weight.WRONG


def _mend_of(state: State, finding: Finding) -> "Mend | None":
    """What one click does for a finding."""
    from evenpalette.core.findings.findings import mend_for

    return mend_for(state, finding)


class _Lines(QStyledItemDelegate):
    """As high as its text is in the room between spacing and margins: the style takes all of the view's width, and a
    line that just fits that one would end in dots."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        view = option.widget
        assert isinstance(view, QListWidget)
        style, viewport = view.style(), view.viewport()
        assert style is not None
        assert viewport is not None
        margin = style.pixelMetric(QStyle.PixelMetric.PM_FocusFrameHMargin, option, view) + 1
        self.initStyleOption(option, index)
        room = QRect(0, 0, viewport.width() - 2 * (view.spacing() + margin), 10_000)
        text = option.fontMetrics.boundingRect(room, Qt.TextFlag.TextWordWrap, option.text)
        return QSize(room.width(), text.height() + 2)


class Ledger(QWidget):
    """The list of regions and the list of findings."""

    hovered = pyqtSignal(int)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setObjectName("chrome")
        self.setFixedWidth(204)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 10, 4, 4)
        layout.setSpacing(4)
        self._lay_regions(layout)
        self._lay_findings(layout)
        #: The colors that regions were painted with, by their ids.
        self._colors: dict[str, str] = {}
        session.changed.connect(self._on_change)
        session.selection.changed.connect(self._show_selection)
        session.watch.changed.connect(self._show_findings)
        self.refresh()

    def _lay_regions(self, layout: QVBoxLayout) -> None:
        session = self._session
        self._total = label("", "section")
        self.model = RegionModel(session)
        self.list = NamedList(
            self.model,
            RegionDelegate(session),
            "Regions",
            [
                ("Move up", "Alt+Up", lambda: self._move(-1)),
                ("Move down", "Alt+Down", lambda: self._move(1)),
                ("Lock or unlock", "Ctrl+L", self._lock),
                ("Remove region", "Del", self._remove),
                ("Fold or unfold", "Return", lambda: self._fold(self.list.currentIndex())),
            ],
            parent=self,
        )
        self.list.setMouseTracking(True)
        self.list.setDragEnabled(True)
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self.list.entered.connect(self._hover)
        self.list.clicked.connect(self._fold)
        self.list.viewportEntered.connect(lambda: self.hovered.emit(-1))
        self.list.leaveEvent = lambda _event: self.hovered.emit(-1)  # type: ignore[method-assign,assignment]
        self._hint = label(
            "No regions yet. At Regions, take them from an ID image, a mask or the mesh, select faces, or paint.",
            "note",
        )
        self._hint.setWordWrap(True)
        self._hint.setContentsMargins(8, 0, 8, 0)
        # Wide enough for what it will say, so that nothing moves when the findings arrive.
        self._total.setMinimumWidth(self._total.fontMetrics().horizontalAdvance("999%") + 2)
        self._total.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.list.selectionModel().currentChanged.connect(self._select)  # type: ignore[union-attr]
        layout.addWidget(row(label("REGIONS", "section"), None, self._total, margins=(8, 0, 8, 0)))
        layout.addWidget(self._hint)
        layout.addWidget(self.list, 3)

    def _lay_findings(self, layout: QVBoxLayout) -> None:
        self._heading = label("", "section")
        self.findings = QListWidget(self)
        self.findings.setAccessibleName("Findings")
        self.findings.setObjectName("bare")
        self.findings.setWordWrap(True)
        self.findings.setSpacing(2)
        self.findings.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.findings.setItemDelegate(_Lines(self.findings))
        self.findings.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.findings.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._leave = list_actions(self.findings, [("Leave it as it is", "Del", self.leave), ("Mend", "M", self.mend)])
        self.findings.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        self._shows_left = False
        self.findings.itemActivated.connect(self._go)
        self.findings.itemClicked.connect(self._go)
        self._mend = button("Mend", self.mend, "link")
        theme.restyle(self._mend, "padding: 0;")
        self._mend.hide()
        self.findings.currentItemChanged.connect(lambda *_: self._show_mend())
        layout.addWidget(row(self._heading, None, self._mend, margins=(8, 4, 8, 0)))
        layout.addWidget(row(self.findings, margins=(3, 0, 2, 0)), 2)

    def _lock(self) -> None:
        region = self._session.state.project.regions.find(self._session.selection.region or "")
        if region is not None:
            text = f"{'Unlock' if region.locked else 'Lock'} {region.name}"
            self._session.apply(text, lambda s: edit.update_region(s, region.id, locked=not region.locked))

    def _hover(self, index: QModelIndex) -> None:
        entry, ids = self.model.entry(index), self._session.state.region_ids
        self.hovered.emit(ids.index(entry.id) if isinstance(entry, Region) and entry.id in ids else -1)

    def _fold(self, index: QModelIndex) -> None:
        """A click on a heading, or Return, folds its regions away or shows them again."""
        entry = self.model.entry(index)
        if isinstance(entry, Division):
            self.model.folded ^= {entry.id}
            self.refresh()

    def _current(self) -> str | None:
        entry = self.list.current_entry()
        return entry.id if isinstance(entry, Region) else None

    def _move(self, offset: int) -> None:
        if region := self._current():
            self._session.apply("Reorder regions", lambda s: edit.move_region(s, region, offset))
            self._show_selection()

    def _remove(self) -> None:
        entry = self.list.current_entry()
        if isinstance(entry, Division):
            self._session.run(f"Remove division {entry.name}", lambda s, _: edit.remove_division(s, entry.id))
        elif isinstance(entry, Region):
            self._session.run(f"Remove region {entry.name}", lambda s, _: edit.remove_region(s, entry.id))

    def _select(self, current: QModelIndex, _before: QModelIndex) -> None:
        entry = self.model.entry(current)
        if isinstance(entry, Region):
            self._session.selection.select_region(entry.id)

    def _show_colors(self) -> None:
        """Paint the rows anew whose region has another color now."""
        state = self._session.state
        values = state.values(state.project.active_variant)
        tints = {region: tint_parameter_of(state, region) for region in state.region_ids}
        colors = {region: str(values.get(tint)) for region, tint in tints.items() if tint is not None}
        changed = {
            region for region in colors.keys() | self._colors.keys() if colors.get(region) != self._colors.get(region)
        }
        self._colors = colors
        for region in changed:
            if (place := self.model.place(region)) >= 0:
                self.list.update(self.model.index(place))

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets & {REGIONS, COVERAGES, ASSET}:
            self.refresh()
        elif facets & {VALUES, ACTIVE, RECIPE, VARIANTS}:
            self._show_colors()

    def refresh(self) -> None:
        """Show the regions as they are now."""
        state = self._session.state
        self.model.refresh()
        self._hint.setVisible(not state.region_ids)
        self.list.setVisible(bool(state.region_ids))
        self._show_selection()

    def _show_selection(self) -> None:
        place = self.model.place(self._session.selection.region)
        if place >= 0:
            index = self.model.index(place)
            if self.list.currentIndex() != index:
                self.list.setCurrentIndex(index)

    def _show_findings(self) -> None:
        division = self._session.state.project.regions.division_of(self._session.selection.region)
        covered = self._session.watch.covered(division.regions)
        self._total.setText(f"{min(covered, 9.99):.0%}" if covered is not None else "")
        self.list.viewport().update()  # type: ignore[union-attr]
        self.findings.clear()
        self._mend.hide()
        found = self._session.watch.findings
        nothing = "No findings" if self._session.watch.has_looked else "Looking for findings ..."
        self._heading.setText(counted(len(found), "finding") if found else nothing)
        self._heading.setObjectName("section" if not found else "warn")
        theme.restyle(self._heading, "" if not found else f"color: {theme.WARN};")
        for finding in found:
            item = self._item(finding, theme.INK if _is_wrong(finding) else theme.MUTED)
            item.setToolTip(
                plain(f"{finding.station.capitalize()}: {finding.text}. Click to go there; Del leaves it as it is")
            )
        left = self._session.watch.left
        if not left:
            self._shows_left = False
            return
        fold = self._item(None, theme.MUTED)
        fold.setText(
            f"{counted(len(left), 'finding')} left as {'it is' if len(left) == 1 else 'they are'}"
            + ("" if self._shows_left else " ...")
        )
        fold.setToolTip("Click to see what you chose to leave, or to fold it away")
        for finding in left if self._shows_left else ():
            item = self._item(finding, _LEFT)
            item.setToolTip(plain(f"{finding.text}. Del looks at it again"))

    def _item(self, finding: Finding | None, color: str) -> QListWidgetItem:
        item = QListWidgetItem(finding.text if finding is not None else "")
        item.setData(Qt.ItemDataRole.UserRole, finding)
        item.setFont(theme.font(theme.NOTE))
        item.setForeground(QColor(color))
        self.findings.addItem(item)
        return item

    def _finding(self) -> Finding | None:
        item = self.findings.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    def leave(self) -> None:
        """Leave the current finding as it is, kept in the project; one that was left is looked at again."""
        finding = self._finding()
        if finding is None:
            return
        change = heed if finding in self._session.watch.left else ignore
        words = "Look at it again" if change is heed else "Leave a finding as it is"
        self._session.apply(words, lambda s: change(s, finding.key))

    def _show_mend(self) -> None:
        finding = self._finding()
        mend = _mend_of(self._session.state, finding) if finding else None
        self._mend.setVisible(mend is not None)
        for action in self._leave:
            action.setEnabled(finding is not None)
        self._leave[0].setText("Look at it again" if finding in self._session.watch.left else "Leave it as it is")
        self._leave[1].setEnabled(mend is not None)
        if mend is not None and finding is not None:
            self._mend.setToolTip(plain(f"{mend[0]}: {finding.text}"))

    def mend(self) -> None:
        """Mend the current finding, if it can be."""
        finding = self._finding()
        mend = _mend_of(self._session.state, finding) if finding else None
        if mend is not None:
            self._session.run(mend[0], lambda s, _: mend[1](s))

    def _go(self, item: QListWidgetItem) -> None:
        finding = item.data(Qt.ItemDataRole.UserRole)
        if finding is None:
            self._shows_left = not self._shows_left
            self._show_findings()
            return
        self._session.set_station(finding.station)
        if find_variant(self._session.state, finding.subject) is not None:
            self._session.apply("Show variant", lambda s: activate(s, finding.subject), "activate")
        if finding.region:
            self._session.selection.select_region(finding.region)
        if finding.place:
            self._session.go_to.emit(*finding.place)
