"""What OpenGL draws is read back, and painted as any other picture."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import moderngl
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QImage, QOpenGLContext, QPainter, QRegion
from PyQt6.QtWidgets import QWidget

from evenpalette.app.timers import timer
from evenpalette.app.widgets.offscreen import Offscreen, current_context

if TYPE_CHECKING:
    from evenpalette.app.widgets.gl_widget import GlWidget


class ReadBack:
    """Draws beside the window when something is wanted, and has painted what differs."""

    is_apart = True

    def __init__(self, owner: "GlWidget") -> None:
        self._owner = owner
        owner.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self._offscreen: Offscreen | None = None
        self._ctx: moderngl.Context | None = None
        self._target: moderngl.Framebuffer | None = None
        self._pixels: NDArray[np.uint8] = np.zeros((0, 0, 4), np.uint8)
        self._image = QImage()
        self._is_stale = True
        self._soon = timer(owner, 0)
        self._soon.timeout.connect(self._turn)

    def context(self) -> QOpenGLContext | None:
        return self._offscreen.context if self._offscreen is not None else None

    def enter(self) -> None:
        if self._offscreen is not None:
            self._offscreen.enter()

    def leave(self) -> None:
        if self._offscreen is not None:
            self._offscreen.leave()

    def want(self) -> None:
        self._is_stale = True
        self._soon.start()

    def want_over(self, parts: Sequence[QRect]) -> None:
        QWidget.update(self._owner, region_of(parts))

    def fit(self) -> None:
        self.want()

    def _turn(self) -> None:
        """Draw before anything is painted: so only what differs is."""
        window = self._owner.window()
        handle = window.windowHandle() if window is not None else None
        if self._is_stale and self._owner.isVisible() and handle is not None and handle.isExposed():
            QWidget.update(self._owner, self._drawn())

    def _drawn(self) -> QRegion:
        """Draw what is wanted and read it; what may differ."""
        self._is_stale = False
        self._soon.stop()
        is_first = self._offscreen is None
        if self._offscreen is None:
            self._offscreen = Offscreen(self._owner)
        self._offscreen.enter()
        try:
            if is_first:
                self._ctx = current_context()
                self._owner.initialize_gl(self._ctx)
            target, is_new = self._fitting()
            drawn, whole = self._owner.paint_gl(target), self._owner.rect()
            parts = [whole] if drawn is None or is_new else [rect & whole for rect in drawn]
            for rect in parts:
                if not rect.isEmpty():
                    self._read(target, rect)
            return region_of(parts)
        finally:
            self._offscreen.leave()

    def _fitting(self) -> tuple[moderngl.Framebuffer, bool]:
        """What is drawn into, as large as the widget, and whether nothing stands there yet."""
        assert self._ctx is not None
        size, old = self._owner.device_size, self._target
        if old is not None and old.size == size:
            old.use()
            return old, False
        if old is not None:
            old.color_attachments[0].release()
            old.release()
        self._target = self._ctx.framebuffer([self._ctx.renderbuffer(size)])
        self._target.use()
        self._pixels = np.zeros((size[1], size[0], 4), np.uint8)
        self._image = QImage(self._pixels.data, *size, 4 * size[0], QImage.Format.Format_RGBX8888)  # type: ignore[call-overload]
        return self._target, True

    def _read(self, target: moderngl.Framebuffer, rect: QRect) -> None:
        (width, height), ratio = target.size, self._owner.devicePixelRatioF()
        left, top = max(0, int(rect.left() * ratio)), max(0, int(rect.top() * ratio))
        right = min(width, int(np.ceil((rect.right() + 1) * ratio)))
        low = min(height, int(np.ceil((rect.bottom() + 1) * ratio)))
        read = target.read((left, height - low, right - left, low - top), components=4)
        self._pixels[top:low, left:right] = np.frombuffer(read, np.uint8).reshape(low - top, right - left, 4)[::-1]

    def paint(self, region: QRegion) -> None:
        # A screen with other pixels has another size without being resized.
        if self._is_stale or self._target is None or self._target.size != self._owner.device_size:
            besides = self._drawn() - region
            if not besides.isEmpty():
                QWidget.update(self._owner, besides)
        painter = QPainter(self._owner)
        painter.setClipRegion(region)
        self._compose(painter)

    def picture(self) -> QImage:
        self._is_stale = True
        QWidget.update(self._owner, self._drawn())
        made = QImage(self._image.size(), QImage.Format.Format_RGB32)
        made.setDevicePixelRatio(self._owner.devicePixelRatioF())
        self._compose(QPainter(made))
        return made

    def _compose(self, painter: QPainter) -> None:
        self._image.setDevicePixelRatio(self._owner.devicePixelRatioF())
        covered = self._image.deviceIndependentSize()
        if covered.width() < self._owner.width() or covered.height() < self._owner.height():
            # A part of a pixel is left at the edge where a pixel of the window is one and a half of the screen.
            painter.fillRect(self._owner.rect(), self._owner.palette().window())
        painter.drawImage(0, 0, self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._owner.paint_over(painter)
        painter.end()


def region_of(parts: Sequence[QRect]) -> QRegion:
    """All of these."""
    made = QRegion()
    for part in parts:
        made += QRegion(part)
    return made
