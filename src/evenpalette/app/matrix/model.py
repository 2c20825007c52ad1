"""The lines and columns of the matrix: which variants in which order, and what each cell holds."""

from collections.abc import Mapping
from pathlib import Path

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.core.collection.shared import follow_of
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.variant import DEFAULTS_NAME, MARKS, Variant
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import Value, ValueType, value_text

#: How lines are brought together, and which are shown.
IN_ORDER, BY_PARENT, BY_MARK = "order", "parent", "mark"
ALL, UNMARKED = "all", "unmarked"


@dataclass(frozen=True)
class Line:
    """A variant, None is the defaults. group: what it stands under, '' for nothing."""

    variant: Variant | None
    group: str = ""

    @property
    def id(self) -> str | None:
        """Its id."""
        return self.variant.id if self.variant is not None else None

    @property
    def name(self) -> str:
        """Its name."""
        return self.variant.name if self.variant is not None else DEFAULTS_NAME


class MatrixModel(QAbstractTableModel):
    """Looked up once for each change of the document; cells are only read."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.lines: list[Line] = []
        self.columns: tuple[Parameter, ...] = ()
        self._values: dict[str | None, Mapping[str, Value]] = {}
        self._parents: dict[str | None, Mapping[str, Value]] = {}
        self.group, self.shown, self.words = IN_ORDER, ALL, ""
        #: The parameter by which lines are sorted, and whether the largest come first.
        self.sorted_by: tuple[str, bool] | None = None
        self.refresh()

    def refresh(self) -> None:
        """Take up the document as it is, with its lines and columns."""
        self.beginResetModel()
        self._look()
        self._order()
        self.endResetModel()

    def refresh_values(self) -> None:
        """Take up values alone: lines and columns stay where they are, and only lines that differ are drawn anew."""
        before, parents = self._values, self._parents
        self._look()
        known = {v.id: v for v in self.session.state.project.variants}
        self.lines = [Line(known.get(line.id or "", line.variant) if line.variant else None, line.group) for line in self.lines]  # fmt: skip
        for row, line in enumerate(self.lines):
            alike = before.get(line.id) == self._values.get(line.id) and parents.get(line.id) == self._parents.get(
                line.id
            )
            if not alike and self.columns:
                self.dataChanged.emit(self.index(row, 0), self.index(row, len(self.columns) - 1))

    def _look(self) -> None:
        state = self.session.state
        self.columns = state.project.parameters
        self._values = {v.id: state.values(v.id) for v in state.project.variants}
        self._values[None] = state.values(None)
        self._parents = {v.id: self._values.get(v.parent, self._values[None]) for v in state.project.variants}

    def _order(self) -> None:
        project = self.session.state.project
        names = {v.id: v.name for v in project.variants}
        kept = [v for v in project.variants if self._is_shown(v)]
        lines = [Line(v, self._group_of(v, names)) for v in kept]
        key, falling = self.sorted_by or ("", False)
        if (by := next((p.input for p in self.columns if p.id == key), None)) is not None:
            lines.sort(key=lambda line: by.kind.rank(self._values[line.id][key], by), reverse=falling)
        if self.group != IN_ORDER:
            place = {v.id: at for at, v in enumerate(project.variants)}
            by_place = sorted(lines, key=lambda line: place[line.id or ""])
            order = {group: at for at, group in enumerate(dict.fromkeys(line.group for line in by_place))}
            lines.sort(key=lambda line: order[line.group])
        first = [Line(None)] if self.shown == ALL and not self.words else []
        self.lines = first + lines

    def _is_shown(self, variant: Variant) -> bool:
        if (
            self.words
            and self.words.lower() not in variant.name.lower()
            and self.words.lower() not in variant.note.lower()
        ):
            return False
        return self.shown == ALL or (variant.mark or UNMARKED) == self.shown

    def _group_of(self, variant: Variant, names: Mapping[str, str]) -> str:
        if self.group == BY_MARK:
            return MARKS.get(variant.mark, "Not marked")
        if self.group == BY_PARENT:
            return f"follows {names.get(variant.parent or '', 'the defaults')}"
        return ""

    # --- what a cell is ------------------------------------------------------------------------------------------

    def value(self, line: int, column: int) -> Value:
        """The value that a cell shows."""
        return self._values[self.lines[line].id][self.columns[column].id]

    def is_own(self, line: int, column: int) -> bool:
        """Whether the variant says this value itself."""
        variant = self.lines[line].variant
        return variant is None or self.columns[column].id in variant.values

    def differs(self, line: int, column: int) -> bool:
        """Whether a value is another one than that of the parent."""
        key, held = self.lines[line].id, self.columns[column].id
        return key is not None and self._values[key][held] != self._parents[key][held]

    def is_locked(self, column: int) -> bool:
        """Whether nothing changes this column for many at once."""
        return self.columns[column].id in self.session.state.project.locked

    def place(self, index: QModelIndex) -> tuple[str | None, str]:
        """Variant and parameter of a cell."""
        return self.lines[index.row()].id, self.columns[index.column()].id

    def text(self, line: int, column: int) -> str:
        """A value in words."""
        parameter, value = self.columns[column], self.value(line, column)
        if parameter.type is ValueType.TEXTURE:
            texture = self.session.state.project.asset.texture(str(value))
            return texture.name if texture is not None else "missing"
        return value_text(value, parameter.unit)

    # --- Qt's side -----------------------------------------------------------------------------------------------

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self.lines)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if role == Qt.ItemDataRole.DisplayRole:
            return self.columns[section].name if orientation is Qt.Orientation.Horizontal else self.lines[section].name
        if role == Qt.ItemDataRole.ToolTipRole and orientation is Qt.Orientation.Horizontal:
            parameter = self.columns[section]
            locked = "Locked: nothing changes it for many variants at once. " if self.is_locked(section) else ""
            return plain(f"{parameter.name}. {locked}A click sorts by it. {parameter.description}".strip())
        if role == Qt.ItemDataRole.ToolTipRole:
            variant = self.lines[section].variant
            return plain(variant.note) if variant is not None and variant.note else None
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsEditable

    def data(self, index: QModelIndex, role: int = 0) -> object:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return self.text(index.row(), index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            variant, key = self.place(index)
            line, column = index.row(), index.column()
            said = "its own value" if self.is_own(line, column) else "follows its parent"
            if self.differs(line, column):
                said += ", another one than the parent's"
            shared = follow_of(self.session.state, key, variant)
            if shared is not None:
                said += f"; follows {shared.shared} of {Path(shared.path).name}"
            return plain(f"{self.lines[line].name}, {self.columns[column].name}: {self.text(line, column)}, {said}")
        return None
