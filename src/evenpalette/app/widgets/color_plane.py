"""Colors to point at: lightness and chroma of one hue with the edge of the sRGB gamut, and a track of hues."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QPainter, QPaintEvent, QPen, QPolygonF

from evenpalette.app import theme
from evenpalette.app.widgets.dragged import Dragged
from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.color.oklab import oklab_to_linear, oklch_to_oklab

#: The most chroma that the plane shows; no sRGB color has more.
MOST_CHROMA = 0.34
_GRID = (86, 64)


def plane_colors(hue: float, size: tuple[int, int] = _GRID) -> tuple[np.ndarray, np.ndarray]:
    """Encoded sRGB (height, width, 3), 0..1, of lightness 1 (top) to 0 over chroma 0 to MOST_CHROMA at a hue in
    degrees, and which of them sRGB holds, bool (height, width)."""
    width, height = size
    chroma = (np.arange(width) + 0.5) / width * MOST_CHROMA
    lightness = 1 - (np.arange(height) + 0.5) / height
    lch = np.stack([*np.meshgrid(lightness, chroma, indexing="ij"), np.full((height, width), hue)], -1)
    linear = oklab_to_linear(oklch_to_oklab(lch))
    inside = ((linear > -1e-6) & (linear < 1 + 1e-6)).all(-1)
    return np.clip(encode_srgb(np.clip(linear, 0, 1)), 0, 1), np.asarray(inside)


def gamut_edge(hue: float, steps: int = 48) -> list[tuple[float, float]]:
    """(chroma, lightness) of the most colorful sRGB color at each lightness, dark to light."""
    edge = []
    for step in range(steps + 1):
        lightness, low, high = step / steps, 0.0, MOST_CHROMA
        for _ in range(14):
            middle = (low + high) / 2
            linear = oklab_to_linear(oklch_to_oklab(np.array([lightness, middle, hue])))
            inside = bool(((linear > -1e-6) & (linear < 1 + 1e-6)).all())
            low, high = (middle, high) if inside else (low, middle)
        edge.append((low, lightness))
    return edge


def _image(encoded: np.ndarray) -> QImage:
    """A picture of encoded values (height, width, 3) of 0..1. The bytes live until it is copied: Qt only borrows
    them."""
    data = np.round(encoded * 255).astype(np.uint8).tobytes()
    height, width = encoded.shape[:2]
    return QImage(data, width, height, width * 3, QImage.Format.Format_RGB888).copy()


class ColorPlane(Dragged):
    """Lightness upward, chroma to the right; what sRGB does not hold is gray, its edge is drawn. `moved` with both."""

    moved = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setFixedHeight(132)
        self.setAccessibleName("Lightness and chroma")
        self.setToolTip(
            "Lightness upward, chroma to the right. The line is the edge of sRGB. Arrow keys move, Shift finely"
        )
        self._hue, self._lightness, self._chroma = 0.0, 0.5, 0.0
        self._picture: QImage | None = None
        self._edge: list[tuple[float, float]] = []

    def sizeHint(self) -> QSize:
        return QSize(290, 132)

    def show_color(self, lightness: float, chroma: float, hue: float) -> None:
        """Show a color; nothing is emitted."""
        if self._picture is None or abs(hue - self._hue) > 0.05:
            colors, inside = plane_colors(hue)
            shown = np.where(inside[..., None], colors, 0.53 + 0.02 * colors)
            self._picture, self._edge, self._hue = _image(shown), gamut_edge(hue), hue
        self._lightness, self._chroma = lightness, chroma
        self.update()

    def _area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(1, 1, -1, -1)

    def _point(self, chroma: float, lightness: float) -> QPointF:
        area = self._area()
        return QPointF(area.left() + chroma / MOST_CHROMA * area.width(), area.top() + (1 - lightness) * area.height())

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        area = self._area()
        if self._picture is not None:
            painter.drawImage(area, self._picture)
        painter.setPen(QPen(QColor("#ffffff"), 1))
        painter.drawPolyline(QPolygonF([self._point(c, x) for c, x in self._edge]))
        painter.setPen(QPen(QColor(theme.ACCENT if self.hasFocus() else "#8c8c8c"), 2 if self.hasFocus() else 1))
        painter.drawRect(area)
        spot = self._point(min(self._chroma, MOST_CHROMA), self._lightness)
        painter.setPen(QPen(QColor("#000000"), 3))
        painter.drawEllipse(spot, 5, 5)
        painter.setPen(QPen(QColor("#ffffff"), 1.5))
        painter.drawEllipse(spot, 5, 5)

    def follow(self, place: QPointF) -> None:
        area = self._area()
        chroma = min(1.0, max(0.0, (place.x() - area.left()) / area.width())) * MOST_CHROMA
        self.moved.emit(1 - min(1.0, max(0.0, (place.y() - area.top()) / area.height())), chroma)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        fine = 0.2 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        steps = {
            Qt.Key.Key_Up: (0.01, 0.0), Qt.Key.Key_Down: (-0.01, 0.0), Qt.Key.Key_Right: (0.0, 0.005), Qt.Key.Key_Left: (0.0, -0.005),
        }  # fmt: skip
        if event.key() not in steps:
            super().keyPressEvent(event)
            return
        up, out = steps[Qt.Key(event.key())]
        lightness, chroma = self._lightness + up * fine, self._chroma + out * fine
        self.moved.emit(min(1.0, max(0.0, lightness)), min(MOST_CHROMA, max(0.0, chroma)))
        self.released.emit()


class HueTrack(Dragged):
    """All hues at one lightness and chroma. `moved` with degrees."""

    moved = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFixedHeight(22)
        self.setAccessibleName("Hue")
        self.setToolTip("Hue, from red over yellow, green and blue. Arrow keys turn it, Shift finely")
        self._hue = 0.0
        hues = np.stack([np.full(360, 0.74), np.full(360, 0.13), np.arange(360.0)], -1)
        self._picture = _image(encode_srgb(np.clip(oklab_to_linear(oklch_to_oklab(hues)), 0, 1))[None])

    def show_hue(self, hue: float) -> None:
        """Show a hue; nothing is emitted."""
        self._hue = hue
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        area = QRectF(self.rect()).adjusted(1, 4, -1, -4)
        painter.drawImage(area, self._picture)
        painter.setPen(QPen(QColor(theme.ACCENT if self.hasFocus() else "#8c8c8c"), 2 if self.hasFocus() else 1))
        painter.drawRect(area)
        x = area.left() + self._hue / 360 * area.width()
        painter.setPen(QPen(QColor("#000000"), 3))
        painter.drawLine(QPointF(x, 1), QPointF(x, self.height() - 1))
        painter.setPen(QPen(QColor("#ffffff"), 1))
        painter.drawLine(QPointF(x, 1), QPointF(x, self.height() - 1))

    def follow(self, place: QPointF) -> None:
        self.moved.emit(min(359.9, max(0.0, (place.x() - 1) / max(1, self.width() - 2) * 360)))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        fine = 0.2 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        steps = {
            Qt.Key.Key_Right: 1.0,
            Qt.Key.Key_Up: 1.0,
            Qt.Key.Key_Left: -1.0,
            Qt.Key.Key_Down: -1.0,
            Qt.Key.Key_PageUp: 15.0,
            Qt.Key.Key_PageDown: -15.0,
        }
        if event.key() in steps:
            self.moved.emit(math.fmod(self._hue + steps[Qt.Key(event.key())] * fine + 360, 360))
            self.released.emit()
        else:
            super().keyPressEvent(event)
