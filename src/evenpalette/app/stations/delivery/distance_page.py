"""Delivery, at a distance: what the kit shows at smaller mip levels beside the delivered map, region by region."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from evenpalette.app import theme
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import button, label
from evenpalette.core.delivery.mip_truth import LEVELS, MipGap, measure_mips
from evenpalette.core.document.variant import DEFAULTS_NAME

#: From here on a difference is seen side by side: common practice, no source.
_VISIBLE = 3.0


class MipPage(QWidget):
    """A row for each region, a column for each level; a click goes to the worst texel."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.found: list[MipGap] = []
        self.measure = button(
            "Measure",
            self.run,
            icon="sun",
            tip="Draw the active variant at 1/2, 1/4 and 1/8 from the kit and from the map",
        )
        self._note = label(
            "The kit at smaller mip levels beside the delivered map: mean and worst in 8-bit codes.", "note"
        )
        self._note.setWordWrap(True)
        self.table = QTableWidget(0, 1 + len(LEVELS))
        self.table.setAccessibleName("Difference between kit and map by region and mip level")
        self.table.setHorizontalHeaderLabels(["Region", *(f"at 1/{2**level}" for level in LEVELS)])
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        vertical, horizontal = self.table.verticalHeader(), self.table.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(23)
        horizontal.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.cellActivated.connect(self._go)
        self.table.cellClicked.connect(self._go)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        top = QHBoxLayout()
        top.setSpacing(8)
        top.addWidget(self.measure)
        top.addWidget(self._note, 1)
        layout.addLayout(top)
        layout.addWidget(self.table, 1)

    def run(self) -> None:
        """Measure the active variant."""
        state = self._session.state
        variant = state.project.active_variant
        name = next((v.name for v in state.project.variants if v.id == variant), DEFAULTS_NAME)

        def done(found: list[MipGap]) -> None:
            self.found = found
            self._show(name)

        self._session.tasks.start(
            Task("Measuring mip levels", lambda p: measure_mips(state, variant, p), done, self._session.failed)
        )

    def _show(self, variant: str) -> None:
        regions = self._session.state.project.regions
        ids = list(dict.fromkeys(gap.region for gap in self.found))
        self.table.setRowCount(len(ids))
        for line, region_id in enumerate(ids):
            region = regions.find(region_id)
            name = f"{regions.number(region_id)}  {region.name}" if region is not None else "Everything"
            self.table.setItem(line, 0, QTableWidgetItem(name))
            for gap in (gap for gap in self.found if gap.region == region_id):
                item = QTableWidgetItem(f"{gap.mean:.2f},  {gap.worst}")
                item.setData(Qt.ItemDataRole.UserRole, gap)
                item.setToolTip("Click to go to the worst texel")
                item.setForeground(QColor(theme.INK if gap.mean < _VISIBLE else theme.WARN))
                self.table.setItem(line, gap.level, item)
        worst = max((gap.worst for gap in self.found), default=0)
        mean = max((gap.mean for gap in self.found if not gap.region), default=0.0)
        self._note.setText(
            f"{variant}: kit and map are at most {mean:.2f} codes apart in the mean, {worst} at the worst texel."
        )

    def _go(self, line: int, column: int) -> None:
        item = self.table.item(line, column)
        gap = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if isinstance(gap, MipGap):
            if gap.region:
                self._session.selection.select_region(gap.region)
            self._session.go_to.emit(*gap.place)
