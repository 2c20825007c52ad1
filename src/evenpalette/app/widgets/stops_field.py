"""A curve of straight pieces whose stops are dragged."""

from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from evenpalette.app import theme
from evenpalette.core.values import format_stops, parse_stops

_INSET = 7


class StopsField(QWidget):
    """Emits `edited` with the stops as text. Double click adds a stop, Space goes to the next one, arrows move it, Del
    takes it out."""

    edited = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._stops: list[tuple[float, float]] = [(0.0, 0.0), (1.0, 1.0)]
        self._chosen = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip(
            "Old value to the right, new value upward. Double click: a new stop. Space: the next one. Arrows: move it. Del: remove it"
        )

    def sizeHint(self) -> QSize:
        return QSize(180, 104)

    def set_stops(self, text: str) -> None:
        """Show stops; nothing is emitted."""
        positions, values = parse_stops(text)
        self._stops = list(zip(positions.tolist(), values.tolist(), strict=True))
        self._chosen = min(self._chosen, len(self._stops) - 1)
        self.update()

    def _point(self, stop: tuple[float, float]) -> QPointF:
        width, height = self.width() - 2 * _INSET, self.height() - 2 * _INSET
        return QPointF(_INSET + stop[0] * width, _INSET + (1 - stop[1]) * height)

    def _stop_at(self, place: QPointF) -> tuple[float, float]:
        width, height = self.width() - 2 * _INSET, self.height() - 2 * _INSET
        share = (place.x() - _INSET) / width, 1 - (place.y() - _INSET) / height
        return min(max(share[0], 0.0), 1.0), min(max(share[1], 0.0), 1.0)

    def _nearest(self, place: QPointF) -> int:
        gaps = [(self._point(stop) - place).manhattanLength() for stop in self._stops]
        return gaps.index(min(gaps))

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(theme.ACCENT if self.hasFocus() else theme.LINE), 1))
        painter.setBrush(QColor(theme.RAISED))
        painter.drawRoundedRect(self.rect().toRectF().adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        points = [self._point(stop) for stop in self._stops]
        ends = [QPointF(_INSET, points[0].y()), *points, QPointF(self.width() - _INSET, points[-1].y())]
        painter.setPen(QPen(QColor(theme.INK), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(ends))
        for index, point in enumerate(points):
            painter.setPen(QPen(QColor(theme.ACCENT if index == self._chosen else theme.INK), 1.5))
            painter.setBrush(QColor(theme.RAISED))
            painter.drawEllipse(point, 4, 4)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._chosen = self._nearest(event.position())
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._move_to(*self._stop_at(event.position()))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        stop = self._stop_at(event.position())
        self._stops = sorted([*self._stops, stop])
        self._chosen = self._stops.index(stop)
        self._tell()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        moves = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and len(self._stops) > 2:
            del self._stops[self._chosen]
            self._chosen = max(0, self._chosen - 1)
            self._tell()
        elif event.key() == Qt.Key.Key_Space:
            step = -1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            self._chosen = (self._chosen + step) % len(self._stops)
            self.update()
        elif event.key() in moves:
            dx, dy = moves[Qt.Key(event.key())]
            position, value = self._stops[self._chosen]
            self._move_to(min(max(position + dx * 0.02, 0.0), 1.0), min(max(value + dy * 0.02, 0.0), 1.0))
        else:
            super().keyPressEvent(event)

    def _move_to(self, position: float, value: float) -> None:
        """A stop stays between its neighbors."""
        low = self._stops[self._chosen - 1][0] if self._chosen > 0 else 0.0
        high = self._stops[self._chosen + 1][0] if self._chosen + 1 < len(self._stops) else 1.0
        self._stops[self._chosen] = (min(max(position, low), high), value)
        self._tell()

    def _tell(self) -> None:
        self.update()
        self.edited.emit(format_stops(self._stops))
