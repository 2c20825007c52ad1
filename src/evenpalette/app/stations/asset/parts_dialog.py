"""Which sheet each material group of the mesh is on."""

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.widgets.basics import choice, label, ok_or_cancel
from evenpalette.core.document.state import State

_NEW = "new"


class PartsDialog(QDialog):
    """A line for each group with the sheet that it is on. `moves`: (groups, sheet id or None for a new one)."""

    def __init__(self, state: State, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sheets of the parts")
        assert state.mesh is not None
        mesh, project = state.mesh.whole.mesh, state.project
        self._groups = mesh.group_names
        self._homes = [sheet.id if (sheet := project.sheet_of(name)) is not None else "" for name in self._groups]
        self.table = QTableWidget(len(self._groups), 3)
        self.table.setAccessibleName("Parts and their sheets")
        self.table.setHorizontalHeaderLabels(["Part", "Triangles", "Sheet"])
        vertical, horizontal = self.table.verticalHeader(), self.table.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(34)
        horizontal.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.table.setColumnWidth(2, 190)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        for line, name in enumerate(self._groups):
            self.table.setItem(line, 0, QTableWidgetItem(name))
            self.table.setItem(line, 1, QTableWidgetItem(f"{int((mesh.groups == line).sum()):,}"))
            box = choice(
                f"Sheet of {name}",
                [(f"{number}  {sheet.name}", sheet.id) for number, sheet in enumerate(project.sheets, 1)],
            )
            box.addItem("A new sheet", _NEW)
            box.setCurrentIndex(max(0, box.findData(self._homes[line])))
            self.table.setCellWidget(line, 2, box)
        buttons = ok_or_cancel(self)
        hint = label("A sheet has textures, regions and a recipe of its own. Parts of one sheet share them.", "note")
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        for part in (hint, self.table, buttons):
            layout.addWidget(part)
        self.resize(560, min(560, 170 + 34 * len(self._groups)))

    @property
    def moves(self) -> list[tuple[tuple[str, ...], str | None]]:
        """What goes where, only what is to be moved; all that go to a new sheet share one."""
        found: dict[str, list[str]] = {}
        for line, name in enumerate(self._groups):
            box = self.table.cellWidget(line, 2)
            assert isinstance(box, QComboBox)
            if box.currentData() != self._homes[line]:
                found.setdefault(str(box.currentData()), []).append(name)
        return [(tuple(names), None if sheet == _NEW else sheet) for sheet, names in found.items()]
