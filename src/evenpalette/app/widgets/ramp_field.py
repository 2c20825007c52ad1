"""Ramps as wide bands, one for each row of a strip; the chosen row's stops are handles under it."""

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from evenpalette.app import theme
from evenpalette.app.widgets.before_after import image_of
from evenpalette.app.widgets.color_drag import take
from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.tones.ramps import MOST_STOPS, Ramp, Stop

_SIDE, _HANDLES = 8, 20


class RampField(QWidget):
    """Double click: a new stop. Left and Right: another stop; with Alt they move it. Up and Down: another row. Del:
    takes the stop out. H: a hard edge. Enter: its color. A color can be dropped on a stop, or between two for a new
    one."""

    edited = pyqtSignal(object)
    chosen = pyqtSignal()
    asked = pyqtSignal()
    #: A drag or a nudge is over.
    finished = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._ramps: list[Ramp] = []
        self.row = self.stop = 0
        self._drags = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.setAccessibleName("Ramp")
        self.setToolTip(
            "Double click: a new stop. Drag a stop along. Alt with Left or Right moves it, Del takes it out, H makes a hard edge"
        )
        self.setMinimumHeight(70)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(420, 120)

    @property
    def ramp(self) -> Ramp | None:
        """The chosen row's ramp."""
        return self._ramps[self.row] if self._ramps else None

    def show_ramps(self, ramps: list[Ramp]) -> None:
        """Show the rows of a strip."""
        self._ramps = ramps
        self.row = min(self.row, max(0, len(ramps) - 1))
        self.stop = min(self.stop, len(ramps[self.row].stops) - 1) if ramps else 0
        self.update()

    def _band(self, row: int) -> QRectF:
        high = (self.height() - _HANDLES) / max(1, len(self._ramps))
        top = row * high + (_HANDLES if row > self.row else 0)
        return QRectF(_SIDE, top + 1, self.width() - 2 * _SIDE, high - 2)

    def _x(self, position: float) -> float:
        return _SIDE + position * (self.width() - 2 * _SIDE)

    def _place(self, x: float) -> float:
        return min(max((x - _SIDE) / max(1, self.width() - 2 * _SIDE), 0.0), 1.0)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.SURROUND))
        wide = max(2, self.width() - 2 * _SIDE)
        for row, shown in enumerate(self._ramps):
            codes = np.rint(encode_srgb(shown.at(np.linspace(0, 1, wide))) * 255).astype(np.uint8)
            painter.drawImage(self._band(row), image_of(codes[None]))
        ramp = self.ramp
        if ramp is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            top = self._band(self.row).bottom() + 2
            for k, stop in enumerate(ramp.stops):
                x = self._x(stop.position)
                house = QPolygonF(
                    [
                        QPointF(x, top),
                        QPointF(x + 6, top + 6),
                        QPointF(x + 6, top + 17),
                        QPointF(x - 6, top + 17),
                        QPointF(x - 6, top + 6),
                    ]
                )
                on = k == self.stop
                painter.setPen(QPen(QColor("#ffffff" if on else "#2b2b2b"), 2 if on else 1))
                painter.setBrush(QColor(stop.color))
                painter.drawPolygon(house)
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.ACCENT), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _row_at(self, y: float) -> int:
        return next((row for row in range(len(self._ramps)) if y < self._band(row).bottom() + 1), self.row)

    def _stop_at(self, place: QPointF) -> int | None:
        ramp = self.ramp
        below = self._band(self.row).bottom()
        if ramp is None or not below <= place.y() <= below + _HANDLES:
            return None
        near = [abs(self._x(stop.position) - place.x()) for stop in ramp.stops]
        best = int(np.argmin(near))
        return best if near[best] <= 9 else None

    def _choose(self, stop: int) -> None:
        self.stop = stop
        self.chosen.emit()
        self.update()

    def choose_row(self, row: int) -> None:
        """Make a row the chosen one."""
        if self._ramps:
            self.row = min(max(row, 0), len(self._ramps) - 1)
            self._choose(min(self.stop, len(self._ramps[self.row].stops) - 1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        found = self._stop_at(event.position())
        self._drags = found is not None
        if found is not None:
            self._choose(found)
        elif (row := self._row_at(event.position().y())) != self.row:
            self.choose_row(row)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drags:
            self.move_to(self._place(event.position().x()))

    def mouseReleaseEvent(self, _: QMouseEvent | None) -> None:
        if self._drags:
            self._drags = False
            self.finished.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._stop_at(event.position()) is not None:
            self.asked.emit()
        else:
            self._add(self._place(event.position().x()))

    def _add(self, position: float, color: str = "") -> None:
        ramp = self.ramp
        if ramp is None or len(ramp.stops) >= MOST_STOPS:
            return
        codes = np.rint(encode_srgb(ramp.at(np.array(position))) * 255).astype(int)
        made = Stop(position, color or "#{:02x}{:02x}{:02x}".format(*codes))
        place = sum(stop.position <= position for stop in ramp.stops)
        self.stop = place
        self._tell(ramp, [*ramp.stops[:place], made, *ramp.stops[place:]])
        self.finished.emit()

    def move_to(self, position: float) -> None:
        """Move the chosen stop; it stays between its neighbors."""
        ramp = self.ramp
        if ramp is None:
            return
        stops = list(ramp.stops)
        low = stops[self.stop - 1].position if self.stop else 0.0
        high = stops[self.stop + 1].position if self.stop + 1 < len(stops) else 1.0
        stops[self.stop] = replace(stops[self.stop], position=round(min(max(position, low), high), 4))
        self._tell(ramp, stops)

    def recolor(self, color: str) -> None:
        """Give the chosen stop another color."""
        ramp = self.ramp
        if ramp is not None:
            stops = list(ramp.stops)
            stops[self.stop] = replace(stops[self.stop], color=color)
            self._tell(ramp, stops)

    def harden(self) -> None:
        """Make the chosen stop a hard edge: what is before it keeps the color of the stop before."""
        ramp = self.ramp
        if ramp is not None and self.stop and len(ramp.stops) < MOST_STOPS:
            stops = list(ramp.stops)
            stops.insert(self.stop, replace(stops[self.stop - 1], position=stops[self.stop].position))
            self.stop += 1
            self._tell(ramp, stops)
            self.finished.emit()

    def remove(self) -> None:
        """Take the chosen stop out; two stay."""
        ramp = self.ramp
        if ramp is not None and len(ramp.stops) > 2:
            stops = [stop for k, stop in enumerate(ramp.stops) if k != self.stop]
            self.stop = max(0, self.stop - 1)
            self._tell(ramp, stops)
            self.finished.emit()

    def _tell(self, ramp: Ramp, stops: list[Stop]) -> None:
        self._ramps[self.row] = Ramp(tuple(stops), ramp.between)
        self.update()
        self.edited.emit(self._ramps[self.row])
        self.chosen.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        ramp, key = self.ramp, event.key()
        sides = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        rows = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if ramp is None:
            super().keyPressEvent(event)
        elif key in sides:
            side = sides[Qt.Key(key)]
            if event.modifiers() & Qt.KeyboardModifier.AltModifier:
                self.move_to(ramp.stops[self.stop].position + side * 0.01)
                self.finished.emit()
            else:
                self._choose(min(max(self.stop + side, 0), len(ramp.stops) - 1))
        elif key in rows:
            self.choose_row(self.row + rows[Qt.Key(key)])
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.asked.emit()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        elif key == Qt.Key.Key_H:
            self.harden()
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        take(event, self)

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        color = take(event, self)
        if color is None:
            return
        row = self._row_at(event.position().y())
        if row != self.row:
            self.choose_row(row)
        found = self._stop_at(event.position())
        if found is not None:
            self.stop = found
            self.recolor(color)
            self.finished.emit()
        else:
            self._add(self._place(event.position().x()), color)
