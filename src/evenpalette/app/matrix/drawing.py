"""How the matrix looks: wide swatches, numbers with where they lie in their range, names with pictures."""

from collections.abc import Callable

from PyQt6.QtCore import QModelIndex, QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QHeaderView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from evenpalette.app import theme
from evenpalette.app.matrix.model import MatrixModel
from evenpalette.core.document.variant import MARKS
from evenpalette.core.values import ValueType

#: Sizes of a line, of the names with their pictures, of a column.
LINE, NAMES, COLUMN = 52, 236, 124
PICTURE = (54, 44)
_HEAD = 40
#: Letters that have room in any cell, and how far the base of words is below their top.
_SHORT, _BASELINE = 9, 14.5
_MARK_COLORS = {"keep": "#17605c", "change": "#8a5a00", "drop": "#9a2f2f"}


class CellDelegate(QStyledItemDelegate):
    """A color as a wide swatch over its hex, a number over a bar; what differs from the parent has a corner."""

    def __init__(self, model: MatrixModel, edit: Callable[[QModelIndex], None]) -> None:
        super().__init__()
        self._model, self._edit = model, edit
        # Made once: a cell is drawn a hundred times for each line that is scrolled.
        self._fonts = [theme.font(theme.NOTE, strong=strong) for strong in (False, True)]
        self._metrics = [QFontMetricsF(font) for font in self._fonts]
        self._line, self._edge = QPen(QColor("#dcdcdc"), 1), QPen(QColor("#8c8c8c"), 1)
        self._grounds = [QColor(color) for color in (theme.SURFACE, theme.ACCENT_SOFT, "#ececec")]
        self._inks = QColor(theme.MUTED), QColor(theme.INK)

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex) -> QSize:
        return QSize(COLUMN, LINE)

    def createEditor(
        self, _parent: QWidget | None, _option: QStyleOptionViewItem, index: QModelIndex
    ) -> QWidget | None:
        """The editor of its type, in a small window of its own."""
        self._edit(index)
        return None

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        painter.save()
        self._draw(painter, option, index)
        painter.restore()

    def _draw(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        model, line, column = self._model, index.row(), index.column()
        box = QRectF(option.rect)
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        locked = model.is_locked(column)
        painter.fillRect(box, self._grounds[1 if selected else 2 if locked else 0])
        painter.setPen(self._line)
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        parameter, value, own = model.columns[column], model.value(line, column), model.is_own(line, column)
        left, text_top = box.left() + 10, box.top() + 28
        if parameter.type is ValueType.COLOR:
            swatch = QRectF(left, box.top() + 6, box.width() - 20, 22)
            painter.fillRect(swatch, QColor(str(value)))
            painter.setPen(self._edge)
            painter.drawRect(swatch)
        elif parameter.is_number:
            track = QRectF(left, box.top() + 14, box.width() - 20, 4)
            share = (float(value) - parameter.low) / ((parameter.high - parameter.low) or 1.0)
            painter.fillRect(track, QColor("#d0d0d0"))
            painter.fillRect(QRectF(track.left(), track.top(), max(2.0, track.width() * min(max(share, 0), 1)), 4), QColor("#6a6a6a"))  # fmt: skip
        else:
            text_top = box.top() + 16
        painter.setFont(self._fonts[own])
        painter.setPen(self._inks[own])
        words, room = model.text(line, column), box.width() - 18
        if len(words) > _SHORT and self._metrics[own].horizontalAdvance(words) > room:
            words = self._metrics[own].elidedText(words, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QPointF(left, text_top + _BASELINE), words)
        if model.differs(line, column):
            right, top = box.right() - 1, box.top() + 1
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.ACCENT))
            painter.drawPolygon(QPolygonF([QPointF(right - 8, top), QPointF(right, top), QPointF(right, top + 8)]))
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(QColor(theme.ACCENT), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(1, 1, -1, -1))


class Names(QHeaderView):
    """The variants: picture, name, what was said of each."""

    def __init__(self, model: MatrixModel) -> None:
        super().__init__(Qt.Orientation.Vertical)
        self._model = model
        self.pictures: dict[str | None, QImage] = {}
        self.setSectionsClickable(True)
        self.setFixedWidth(NAMES)
        self.setDefaultSectionSize(LINE)
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setAccessibleName("Variants of the matrix")

    def paintSection(self, painter: QPainter | None, rect: QRect, section: int) -> None:
        assert painter is not None
        line = self._model.lines[section]
        box = QRectF(rect)
        active = line.id == self._model.session.state.project.active_variant
        painter.save()
        painter.fillRect(box, QColor(theme.RAISED if active else theme.CHROME))
        group = line.group if not section or self._model.lines[section - 1].group != line.group else ""
        painter.setPen(QPen(QColor("#8a8a8a" if group else "#d6d6d6"), 1))
        painter.drawLine(box.topLeft(), box.topRight())
        picture = QRectF(box.left() + 6, box.top() + 4, *PICTURE)
        image = self.pictures.get(line.id)
        if image is not None:
            painter.drawImage(picture, image)
        else:
            painter.fillRect(picture, QColor(theme.SURROUND))
        if active:
            painter.setPen(QPen(QColor(theme.ACCENT), 2))
            painter.drawRect(picture)
        left, width = picture.right() + 10, box.right() - picture.right() - 16
        painter.setPen(QColor(theme.INK))
        painter.setFont(theme.font(theme.TEXT, strong=active))
        name = painter.fontMetrics().elidedText(line.name, Qt.TextElideMode.ElideRight, round(width))
        painter.drawText(QRectF(left, box.top() + 6, width, 20), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(theme.font(theme.NOTE))
        variant = line.variant
        mark = MARKS.get(variant.mark, "") if variant is not None else ""
        said = ": ".join(filter(None, (mark, variant.note if variant is not None else ""))) or group
        painter.setPen(QColor(_MARK_COLORS.get(variant.mark, theme.MUTED) if variant is not None else theme.MUTED))
        said = painter.fontMetrics().elidedText(said.replace("\n", " "), Qt.TextElideMode.ElideRight, round(width))
        painter.drawText(QRectF(left, box.top() + 26, width, 18), Qt.AlignmentFlag.AlignVCenter, said)
        painter.restore()


class Columns(QHeaderView):
    """The parameters: name, whether locked, whether lines are sorted by it."""

    def __init__(self, model: MatrixModel) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self._model = model
        self.setSectionsClickable(True)
        self.setFixedHeight(_HEAD)
        self.setDefaultSectionSize(COLUMN)
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setAccessibleName("Parameters of the matrix")

    def paintSection(self, painter: QPainter | None, rect: QRect, section: int) -> None:
        assert painter is not None
        box, parameter = QRectF(rect), self._model.columns[section]
        painter.save()
        painter.fillRect(box, QColor(theme.CHROME))
        painter.setPen(QPen(QColor(theme.LINE), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        right = box.right() - 8
        if self._model.is_locked(section):
            theme.icon("lock", theme.MUTED).paint(painter, round(right) - 14, round(box.top()) + 13, 14, 14)
            right -= 18
        by = self._model.sorted_by
        if by is not None and by[0] == parameter.id:
            name = "arrow-down" if by[1] else "arrow-up"
            theme.icon(name, theme.ACCENT).paint(painter, round(right) - 14, round(box.top()) + 13, 14, 14)
            right -= 18
        painter.setPen(QColor(theme.INK))
        painter.setFont(theme.font(theme.TEXT))
        width = right - box.left() - 10
        words = painter.fontMetrics().elidedText(parameter.name, Qt.TextElideMode.ElideRight, round(width))
        painter.drawText(QRectF(box.left() + 10, box.top(), width, box.height()), Qt.AlignmentFlag.AlignVCenter, words)
        painter.restore()
