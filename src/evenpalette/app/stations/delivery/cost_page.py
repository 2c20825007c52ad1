"""Delivery, what it costs: the ways to make these variants beside each other, each with how its figures came about."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import button, label
from evenpalette.core.delivery.cost import Cost, cheaper_from, costs

#: What is shown of a way, and how wide: there are as many materials as draw calls.
_COLUMNS = {"": 108, "Disk": 46, "Memory": 60, "Blocks": 52, "Reads": 46, "Draws": 46}
#: What a row is called where there is little room.
_SHORT = {"one painted texture a variant": "painted textures", "one material a part": "a material a part"}


class CostPage(QWidget):
    """A row for each way; the sentence below says from where on the kit is cheaper, and how a row was measured."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.found: list[Cost] = []
        self.measure = button("Measure", self.run, tip="Render one variant, pack it, and count for all of them")
        self.said = label("What these variants take by each way to make them: MiB, texture reads a pixel.", "note")
        self.said.setWordWrap(True)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setAccessibleName("Cost of the variants by the way to make them")
        self.table.setHorizontalHeaderLabels(list(_COLUMNS))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.currentCellChanged.connect(lambda row, *_: self._tell(row))
        vertical, horizontal = self.table.verticalHeader(), self.table.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(23)
        horizontal.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        for column, width in enumerate(_COLUMNS.values()):
            self.table.setColumnWidth(column, width)
        top = QHBoxLayout()
        top.setSpacing(8)
        top.addWidget(self.measure)
        top.addWidget(self.said, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(top)
        layout.addWidget(self.table, 1)

    def run(self) -> None:
        """Measure beside the window."""
        state = self._session.state

        def done(found: list[Cost]) -> None:
            self.found = found
            self._show()

        self._session.tasks.start(Task("Measuring costs", lambda p: costs(state, 0, p), done, self._session.failed))

    def _show(self) -> None:
        self.table.setRowCount(len(self.found))
        for line, cost in enumerate(self.found):
            mib = [f"{size / 2**20:.1f}" for size in (cost.bytes_disk, cost.bytes_memory, cost.bytes_bc)]
            words = [_SHORT.get(cost.way, cost.way), *mib, str(cost.reads), str(cost.draws)]
            for column, word in enumerate(words):
                item = QTableWidgetItem(word)
                item.setToolTip(plain(f"{cost.way}: {cost.how}; {cost.materials} materials"))
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(line, column, item)
        first = max(1, cheaper_from(self.found))
        self.said.setText(
            f"{self.found[0].variants} variants. The kit takes less memory than painted textures from {first} on."
        )

    def _tell(self, row: int) -> None:
        if 0 <= row < len(self.found):
            self.said.setText(f"{self.found[row].way}: {self.found[row].how}.")
