"""The rows of a step as short strips: region numbers, the first color or number, the parameter it follows."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)  # fmt: skip
from PyQt6.QtWidgets import QGridLayout, QWidget

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.widgets.color_drag import carry, is_far, take
from evenpalette.core.dataclass import dataclass

STRIP = QSize(152, 23)
PER_COLUMN = 6


@dataclass(frozen=True)
class StripLook:
    """What a strip shows. chips: (number, flag color) of its regions; none is everywhere else. color: '' for a
    number."""

    row_id: str
    chips: tuple[tuple[int, str], ...]
    where: str
    color: str
    value: str
    follows: str


class RowStrip(QWidget):
    """One row. A click chooses it; its color can be dragged onto another strip, which takes it."""

    chosen = pyqtSignal(str)
    dropped = pyqtSignal(str, str)
    wanted = pyqtSignal(str, QPoint)
    keyed = pyqtSignal(str, int)

    def __init__(self, look: StripLook, selected: bool) -> None:
        super().__init__()
        self.look, self._selected = look, selected
        self._press: QPointF | None = None
        self.setFixedSize(STRIP)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(bool(look.color))
        self.show_look(look, selected)

    def show_look(self, look: StripLook, selected: bool) -> None:
        """Show other values of the same row; what is shown already is not painted again."""
        if (look, selected) == (self.look, self._selected) and self.accessibleName():
            return
        self.look, self._selected = look, selected
        follows = f", follows {look.follows}" if look.follows else ""
        self.setAccessibleName(f"Row {look.where}, {look.value}{follows}")
        self.setToolTip(plain(f"{look.where}: {look.value}{follows}. Drag the color onto another row to copy it"))
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(0.5, 1.5, -0.5, -0.5)
        painter.setPen(QPen(QColor(theme.ACCENT if self._selected or self.hasFocus() else "#cccccc"), 1))
        painter.setBrush(QColor(theme.RAISED if self._selected else theme.SURFACE))
        painter.drawRoundedRect(box, 4, 4)
        left = box.left() + 5
        painter.setFont(theme.font(theme.NOTE, strong=True))
        for number, flag in self.look.chips[:3]:
            chip = QRectF(left, box.top() + 3, 16 if number < 10 else 20, 15)
            painter.setPen(QPen(QColor("#7a7a7a"), 1))
            painter.setBrush(QColor(flag))
            painter.drawRoundedRect(chip, 3, 3)
            painter.setPen(QColor(theme.contrast_ink(flag)))
            painter.drawText(chip, Qt.AlignmentFlag.AlignCenter, str(number))
            left = chip.right() + 3
        painter.setFont(theme.font(theme.NOTE))
        painter.setPen(QColor(theme.MUTED))
        more = (
            f"+{len(self.look.chips) - 3}" if len(self.look.chips) > 3 else "" if self.look.chips else self.look.where
        )
        if more:
            wide = painter.fontMetrics().horizontalAdvance(more) + 4
            painter.drawText(QRectF(left, box.top(), wide, box.height()), Qt.AlignmentFlag.AlignVCenter, more)
            left += wide
        left += 3
        if self.look.color:
            painter.setPen(QPen(QColor("#8c8c8c"), 1))
            painter.setBrush(QColor(self.look.color))
            painter.drawRect(QRectF(left, box.top() + 3.5, 22, 14))
            left += 28
        painter.setPen(QColor(theme.INK if self.look.follows else theme.MUTED))
        text = self.look.follows or self.look.value
        room = box.right() - left - 4
        text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(QRectF(left, box.top(), room, box.height()), Qt.AlignmentFlag.AlignVCenter, text)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._press = event.position()
        self.chosen.emit(self.look.row_id)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.look.color and is_far(self._press, event.position()):
            self._press = None
            carry(self, self.look.color)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        take(event, self)

    def dropEvent(self, event: QDropEvent | None) -> None:
        if (color := take(event, self)) is not None:
            self.dropped.emit(self.look.row_id, color)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        self.wanted.emit(self.look.row_id, event.globalPos())
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Delete):
            self.keyed.emit(self.look.row_id, event.key())
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.chosen.emit(self.look.row_id)
        elif event.key() == Qt.Key.Key_Menu:
            self.wanted.emit(self.look.row_id, self.mapToGlobal(self.rect().bottomLeft()))
        else:
            super().keyPressEvent(event)


class RowStrips(QWidget):
    """All rows of a step, flowing in columns of six."""

    def __init__(
        self, looks: list[StripLook], selected: str | None, choose: Callable[[str], None],
        copy: Callable[[str, str], None], menu: Callable[[str, QPoint], None], remove: Callable[[str], None],
    ) -> None:  # fmt: skip
        super().__init__()
        self.setAccessibleName("Rows of the step")
        self._choose, self._remove = choose, remove
        self.strips: dict[str, RowStrip] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(2)
        for place, look in enumerate(looks):
            strip = self.strips[look.row_id] = RowStrip(look, look.row_id == selected)
            strip.chosen.connect(choose)
            strip.dropped.connect(copy)
            strip.wanted.connect(menu)
            strip.keyed.connect(self._key)
            grid.addWidget(strip, place % PER_COLUMN, place // PER_COLUMN)
        grid.setRowStretch(PER_COLUMN, 1)

    def refresh(self, looks: list[StripLook], selected: str | None) -> None:
        """Show the values as they are now; the rows are the same ones."""
        for look in looks:
            if look.row_id in self.strips:
                self.strips[look.row_id].show_look(look, look.row_id == selected)

    def _key(self, row_id: str, key: int) -> None:
        ids = list(self.strips)
        if key == Qt.Key.Key_Delete:
            self._remove(row_id)
            return
        place = ids.index(row_id) + (1 if key == Qt.Key.Key_Down else -1)
        if 0 <= place < len(ids):
            self.strips[ids[place]].setFocus()
            self._choose(ids[place])
