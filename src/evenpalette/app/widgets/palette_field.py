"""A palette as a wide field: every entry as wide as the share of the texture that it covers, one line for each row."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDragEnterEvent, QDropEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from evenpalette.app import theme
from evenpalette.app.widgets.color_drag import carry, take

#: Entries are at least so wide, so that rare ones can be clicked.
_LEAST_PIXELS = 5.0


class PaletteField(QWidget):
    """Left and Right choose an entry, Up and Down a row; Enter or a double click asks for its color; a drag moves
    it."""

    chosen = pyqtSignal(int, int)
    asked = pyqtSignal()
    moved = pyqtSignal(int, int)
    dropped = pyqtSignal(int, int, str)
    locked_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._rows: NDArray[np.uint8] = np.zeros((0, 0, 3), np.uint8)
        self._edges = np.zeros(1)
        self.row = self.entry = 0
        self._from: int | None = None
        self._locked: tuple[str, ...] = ()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Palette")
        self.setToolTip(
            "Width is the share of the texture. Drag an entry along to another place, or its color out of the field; double click for its color. Space locks it"
        )
        self.setAcceptDrops(True)
        self.setMinimumHeight(60)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(420, 110)

    def show_palette(self, rows: NDArray[np.uint8], shares: NDArray[np.float64], locked: tuple[str, ...] = ()) -> None:
        """Show rows of entries, uint8 (rows, n, 3 or 4), and how much of the texture each entry covers, (n,). locked:
        colors that reducing anew keeps."""
        self._rows, self._locked = rows, locked
        least = _LEAST_PIXELS / max(1.0, float(self.width()))
        wide = np.maximum(np.sqrt(shares), 1e-3)
        wide = np.maximum(wide / max(float(wide.sum()), 1e-9), least)
        self._edges = np.concatenate([[0], np.cumsum(wide) / max(float(wide.sum()), 1e-9)])
        self.row = min(self.row, max(0, len(rows) - 1))
        self.entry = min(self.entry, max(0, rows.shape[1] - 1)) if len(rows) else 0
        self.update()

    @property
    def color(self) -> str:
        """The chosen entry's color, '' without one."""
        return self._color(self.row, self.entry) if len(self._rows) else ""

    @property
    def is_locked(self) -> bool:
        """Whether the chosen entry's color is locked."""
        return self.color in self._locked

    def _color(self, row: int, entry: int) -> str:
        r, g, b = (int(v) for v in self._rows[row, entry, :3])
        return f"#{r:02x}{g:02x}{b:02x}"

    def choose(self, row: int, entry: int) -> None:
        """Make an entry the chosen one."""
        if len(self._rows):
            self.row = min(max(row, 0), len(self._rows) - 1)
            self.entry = min(max(entry, 0), self._rows.shape[1] - 1)
            self.chosen.emit(self.row, self.entry)
            self.update()

    def _box(self, row: int, entry: int) -> QRectF:
        high = (self.height() - 4) / max(1, len(self._rows))
        left, right = self._edges[entry] * (self.width() - 4), self._edges[entry + 1] * (self.width() - 4)
        return QRectF(2 + left, 2 + row * high, right - left, high)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.SURROUND))
        for row in range(len(self._rows)):
            for entry in range(self._rows.shape[1]):
                box = self._box(row, entry)
                color = self._color(row, entry)
                painter.fillRect(box.adjusted(0, 0, -0.6, -1.5), QColor(color))
                if color in self._locked:
                    painter.fillRect(
                        QRectF(box.center().x() - 2.5, box.bottom() - 9, 5, 5), QColor(theme.contrast_ink(color))
                    )
        if len(self._rows):
            box = self._box(self.row, self.entry).adjusted(0.5, 0.5, -1, -2)
            for width, color in ((4, "#000000"), (2, "#ffffff")):
                painter.setPen(QPen(QColor(color), width))
                painter.drawRect(box)
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.ACCENT), 2))
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _at(self, x: float, y: float) -> tuple[int, int]:
        row = int((y - 2) / max(1.0, (self.height() - 4) / max(1, len(self._rows))))
        entry = int(np.searchsorted(self._edges, (x - 2) / max(1, self.width() - 4), "right")) - 1
        return min(max(row, 0), max(0, len(self._rows) - 1)), min(max(entry, 0), max(0, len(self._edges) - 2))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if len(self._rows):
            row, self._from = self._at(event.position().x(), event.position().y())
            self.choose(row, self._from)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._from is not None and not self.rect().contains(event.position().toPoint()):
            self._from = None
            carry(self, self.color)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        take(event, self)

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        if (color := take(event, self)) is not None and len(self._rows):
            self.choose(*self._at(event.position().x(), event.position().y()))
            self.dropped.emit(self.row, self.entry, color)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        start, self._from = self._from, None
        if start is not None and len(self._rows):
            _, entry = self._at(event.position().x(), event.position().y())
            if entry != start:
                self.entry = entry
                self.moved.emit(start, entry)

    def mouseDoubleClickEvent(self, _: QMouseEvent | None) -> None:
        self._from = None
        self.asked.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0)}
        if event.key() in steps:
            row, entry = steps[Qt.Key(event.key())]
            if event.modifiers() & Qt.KeyboardModifier.AltModifier and entry:
                start = self.entry
                self.entry = min(max(self.entry + entry, 0), self._rows.shape[1] - 1)
                self.moved.emit(start, self.entry)
            else:
                self.choose(self.row + row, self.entry + entry)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.asked.emit()
        elif event.key() == Qt.Key.Key_Space:
            self.locked_changed.emit()
        else:
            super().keyPressEvent(event)
