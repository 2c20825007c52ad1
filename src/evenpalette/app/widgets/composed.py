"""What OpenGL draws is put together with the rest of the window by OpenGL."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import moderngl
from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QImage, QOpenGLContext, QPainter, QRegion
from PyQt6.QtOpenGLWidgets import QOpenGLWidget

from evenpalette.app.widgets.offscreen import current_context
from evenpalette.app.widgets.read_back import region_of

if TYPE_CHECKING:
    from evenpalette.app.widgets.gl_widget import GlWidget


class _Screen(QOpenGLWidget):
    """Lies in a widget and shows what is drawn."""

    def __init__(self, owner: "GlWidget") -> None:
        super().__init__(owner)
        self._owner = owner
        self._ctx: moderngl.Context | None = None
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        # What is not drawn again stays.
        self.setUpdateBehavior(QOpenGLWidget.UpdateBehavior.PartialUpdate)
        self.lower()

    def initializeGL(self) -> None:
        self._ctx = current_context()
        self._owner.initialize_gl(self._ctx)

    def paintGL(self) -> None:
        assert self._ctx is not None
        target = self._ctx.detect_framebuffer(self.defaultFramebufferObject())
        target.use()
        drawn = self._owner.paint_gl(target)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if drawn is not None:
            painter.setClipRegion(region_of(drawn))
        self._owner.paint_over(painter)
        painter.end()


class Composed:
    """Has a screen drawn with the window."""

    is_apart = False

    def __init__(self, owner: "GlWidget") -> None:
        self._owner, self._screen = owner, _Screen(owner)

    def context(self) -> QOpenGLContext | None:
        return self._screen.context()

    def enter(self) -> None:
        self._screen.makeCurrent()

    def leave(self) -> None:
        self._screen.doneCurrent()

    def want(self) -> None:
        self._screen.update()

    def want_over(self, parts: Sequence[QRect]) -> None:
        self._screen.update()

    def fit(self) -> None:
        self._screen.setGeometry(self._owner.rect())

    def paint(self, region: QRegion) -> None:
        """The screen lies over all of it."""

    def picture(self) -> QImage:
        return self._screen.grabFramebuffer()
