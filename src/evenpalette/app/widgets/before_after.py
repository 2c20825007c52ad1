"""A part of a picture before and after, with a divide that can be moved. Drag the picture to look elsewhere."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from evenpalette.app import theme

_NEAR_PIXELS = 8


def image_of(codes: NDArray[np.uint8]) -> QImage:
    """uint8 (height, width, 3) as an image that owns its pixels."""
    held = np.ascontiguousarray(codes)
    return QImage(held.tobytes(), held.shape[1], held.shape[0], held.shape[1] * 3, QImage.Format.Format_RGB888).copy()


def crop_of(picture: NDArray[np.uint8], middle: tuple[float, float], size: tuple[int, int]) -> NDArray[np.uint8]:
    """(width, height) pixels around a place 0..1 of a picture (height, width, 3); gray where there are no more."""
    height, width = picture.shape[:2]
    out = np.full((size[1], size[0], 3), 119, np.uint8)
    wide, high = min(size[0], width), min(size[1], height)
    left = int(np.clip(middle[0] * width - wide / 2, 0, width - wide))
    top = int(np.clip(middle[1] * height - high / 2, 0, height - high))
    x, y = (size[0] - wide) // 2, (size[1] - high) // 2
    out[y : y + high, x : x + wide] = picture[top : top + high, left : left + wide]
    return out


class BeforeAfter(QWidget):
    """Shows two pictures of the same place at one size, left of the divide the first, right of it the second.

    looked: the middle of what is looked at moved by so much, in shares of the widget's width and height.
    """

    looked = pyqtSignal(float, float)
    resized = pyqtSignal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self._before, self._after = QImage(), QImage()
        self._words = ("before", "after")
        self._divide = 0.5
        self._held: QPointF | None = None
        self._moves_divide = False
        self.setAccessibleName(name)
        self.setToolTip(
            "Drag the divide, or the picture to look elsewhere. Left and right move the divide, with Shift the picture"
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(200, 90)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(520, 170)

    def show_pictures(self, before: QImage, after: QImage, words: tuple[str, str] = ("before", "after")) -> None:
        """Both fill the widget."""
        self._before, self._after, self._words = before, after, words
        self.update()

    @property
    def divide(self) -> float:
        """Where the divide lies, 0..1."""
        return self._divide

    def _set_divide(self, share: float) -> None:
        self._divide = min(max(share, 0.0), 1.0)
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        area = QRectF(self.rect())
        painter.fillRect(area, QColor(theme.SURROUND))
        if self._before.isNull():
            return
        x = round(area.width() * self._divide)
        for image, left, right in ((self._before, 0, x), (self._after, x, self.width())):
            if not image.isNull() and right > left:
                painter.setClipRect(left, 0, right - left, self.height())
                painter.drawImage(area, image)
        painter.setClipping(False)
        painter.setPen(QPen(QColor("#ffffff"), 2))
        painter.drawLine(x, 0, x, self.height())
        painter.setFont(theme.font(theme.NOTE))
        for text, place in (
            (self._words[0], Qt.AlignmentFlag.AlignLeft),
            (self._words[1], Qt.AlignmentFlag.AlignRight),
        ):
            if not text:
                continue
            box = painter.fontMetrics().boundingRect(text)
            wide = box.width() + 12
            held = QRectF(4 if place is Qt.AlignmentFlag.AlignLeft else area.right() - wide - 3, 4, wide, 18)
            painter.fillRect(held, QColor(30, 30, 30, 170))
            painter.setPen(QColor("#ffffff"))
            painter.drawText(held, Qt.AlignmentFlag.AlignCenter, text)
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.ACCENT), 2))
            painter.drawRect(area.adjusted(1, 1, -1, -1))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.resized.emit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._held = event.position()
        self._moves_divide = abs(event.position().x() - self.width() * self._divide) <= _NEAR_PIXELS

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        near = abs(event.position().x() - self.width() * self._divide) <= _NEAR_PIXELS
        self.setCursor(Qt.CursorShape.SplitHCursor if near or self._moves_divide else Qt.CursorShape.OpenHandCursor)
        if self._held is None:
            return
        if self._moves_divide:
            self._set_divide(event.position().x() / max(1, self.width()))
            return
        moved = event.position() - self._held
        self._held = event.position()
        self.looked.emit(-moved.x() / max(1, self.width()), -moved.y() / max(1, self.height()))

    def mouseReleaseEvent(self, _: QMouseEvent | None) -> None:
        self._held, self._moves_divide = None, False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        ways = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        way = ways.get(Qt.Key(event.key()))
        if way is None:
            super().keyPressEvent(event)
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier or way[1]:
            self.looked.emit(way[0] * 0.1, way[1] * 0.1)
        else:
            self._set_divide(self._divide + way[0] * 0.05)
