"""Every parameter of every variant in a table: rows are parameters, columns the variants; own values stand out."""

from pathlib import Path

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.widgets.placement_field import placement_words
from evenpalette.core.collection.shared import follow_of
from evenpalette.core.document.project import Follow
from evenpalette.core.document.variant import DEFAULTS_NAME
from evenpalette.core.edits import variants as edit
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.placement import Placement
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import KINDS, Value, ValueType, parse_value, value_text


class ValueTable(QAbstractTableModel):
    """Rows are parameters; columns are the defaults and the variants."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._columns: tuple[object, list[str | None]] | None = None

    def columns(self) -> list[str | None]:
        """The variant of each column; None is the defaults."""
        variants = self.session.state.project.variants
        if self._columns is None or self._columns[0] is not variants:
            self._columns = variants, [None, *(v.id for v in variants)]
        return self._columns[1]

    def parameter(self, line: int) -> Parameter:
        """The parameter of a row."""
        return self.session.state.project.recipe.parameters[line]

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self.session.state.project.recipe.parameters)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self.columns())

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation is Qt.Orientation.Vertical:
            return self.parameter(section).name
        variant = edit.find_variant(self.session.state, self.columns()[section])
        return variant.name if variant else DEFAULTS_NAME

    def value(self, index: QModelIndex) -> Value:
        """The value shown in a cell."""
        return self.session.state.value(self.columns()[index.column()], self.parameter(index.row()).id)

    def is_own(self, index: QModelIndex) -> bool:
        """Whether the variant says this value itself."""
        variant = edit.find_variant(self.session.state, self.columns()[index.column()])
        return variant is None or self.parameter(index.row()).id in variant.values

    def follow(self, index: QModelIndex) -> Follow | None:
        """The shared value that a cell follows."""
        return follow_of(self.session.state, self.parameter(index.row()).id, self.columns()[index.column()])

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsEditable

    def data(self, index: QModelIndex, role: int = 0) -> object:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            value, parameter = self.value(index), self.parameter(index.row())
            if parameter.type is ValueType.PLACEMENT and role == Qt.ItemDataRole.DisplayRole:
                return placement_words(Placement.parse(str(value)))
            if parameter.type is ValueType.TEXTURE:
                texture = self.session.state.project.asset.texture(str(value))
                return texture.name if texture is not None else "missing"
            return value_text(value, parameter.unit)
        if role == Qt.ItemDataRole.ToolTipRole:
            own = "its own value" if self.is_own(index) else "follows its parent"
            shared = self.follow(index)
            if shared is not None:
                own += f", which follows {shared.shared} of {Path(shared.path).name}"
            return plain(f"{self.parameter(index.row()).name}: {own}")
        return None

    def setData(self, index: QModelIndex, value: object, role: int = 0) -> bool:
        if role != Qt.ItemDataRole.EditRole:
            return False
        parameter, variant = self.parameter(index.row()), self.columns()[index.column()]
        try:
            parsed = parameter.accept(parse_value(str(value), parameter.type, parameter.unit))
        except EvenPaletteError as error:
            self.session.said.emit(str(error), True)
            return False
        if parsed == self.value(index) and self.is_own(index):
            return False
        return self.session.apply(
            f"{parameter.name} to {value}", lambda s: edit.set_value(s, variant, parameter.id, parsed)
        )


class ValueDelegate(QStyledItemDelegate):
    """Draws a swatch beside colors; inherited values are paler."""

    wanted = pyqtSignal(QModelIndex)

    def __init__(self, model: ValueTable) -> None:
        super().__init__()
        self._model = model

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex) -> QSize:
        return QSize(112, 24)

    def createEditor(self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex) -> QWidget | None:
        """Numbers and colors are typed in the cell; what has to be chosen opens the editor of its type."""
        if not KINDS[self._model.parameter(index.row()).type].is_typed:
            self.wanted.emit(index)
            return None
        return super().createEditor(parent, option, index)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        painter.save()
        active = self._model.columns()[index.column()] == self._model.session.state.project.active_variant
        box = QRectF(option.rect)
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.fillRect(box, QColor(theme.ACCENT_SOFT if selected else theme.RAISED if active else theme.SURFACE))
        own, value = self._model.is_own(index), self._model.value(index)
        left = box.left() + 8
        if self._model.parameter(index.row()).type is ValueType.COLOR:
            swatch = QRectF(left, box.top() + 5, 20, box.height() - 10)
            painter.setPen(QPen(QColor("#8c8c8c"), 1))
            painter.setBrush(QColor(str(value)))
            painter.drawRect(swatch)
            left += 27
        font = theme.font(theme.TEXT, strong=own)
        font.setItalic(self._model.follow(index) is not None)
        painter.setFont(font)
        painter.setPen(QColor(theme.INK if own else theme.MUTED))
        text = QRectF(left, box.top(), box.right() - left - 4, box.height())
        painter.drawText(text, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, str(index.data()))
        painter.restore()
