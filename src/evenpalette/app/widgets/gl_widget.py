"""A widget that OpenGL draws.

A window with one of Qt's own OpenGL widgets in it is put together by OpenGL as a whole each time that a label in it
changes. A graphics card does that beside everything else. A processor that draws takes longer over it than over the
picture, so there the picture is read back and painted as that of any other widget is: what changed of it, no more.
"""

import os
from collections.abc import Sequence
from typing import Protocol

import moderngl
from PyQt6.QtCore import QRect
from PyQt6.QtGui import QImage, QOpenGLContext, QPainter, QPaintEvent, QRegion, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QWidget

from evenpalette.app.widgets.offscreen import draws_in_software


class GlWidget(QWidget):
    """Something that is drawn by `paint_gl`, and over it by `paint_over`."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._way = _way_of(self)

    # --- to be drawn -----------------------------------------------------------------------------------------------

    def initialize_gl(self, ctx: moderngl.Context) -> None:
        """The context is there, and current."""

    def paint_gl(self, target: moderngl.Framebuffer) -> list[QRect] | None:
        """Draw over the last picture; where, None for all of it."""
        raise NotImplementedError

    def paint_over(self, painter: QPainter) -> None:
        """Paint over what was drawn."""

    # --- to be used ------------------------------------------------------------------------------------------------

    def update(self) -> None:  # type: ignore[override]
        """Have it drawn soon."""
        self._way.want()

    @property
    def is_painted_apart(self) -> bool:
        """Whether what is painted over the picture does not become a part of it."""
        return self._way.is_apart

    def update_over(self, parts: Sequence[QRect]) -> None:
        """Have it painted soon, where what is painted over it differs and nothing else does."""
        self._way.want_over(parts)

    def context(self) -> QOpenGLContext | None:
        """What it is drawn in, once it is."""
        return self._way.context()

    def make_current(self) -> None:
        """Enter the context, to be left by `done_current`."""
        self._way.enter()

    def done_current(self) -> None:
        """Leave the context."""
        self._way.leave()

    def picture(self) -> QImage:
        """What is to be seen in it, drawn now."""
        return self._way.picture()

    @property
    def device_size(self) -> tuple[int, int]:
        """Width and height in pixels of the device."""
        ratio = self.devicePixelRatioF()
        return max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._way.fit()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        assert event is not None
        self._way.paint(event.region())


class Way(Protocol):
    """How what is drawn comes to be seen."""

    is_apart: bool

    def context(self) -> QOpenGLContext | None: ...
    def enter(self) -> None: ...
    def leave(self) -> None: ...
    def want(self) -> None: ...
    def want_over(self, parts: Sequence[QRect]) -> None: ...
    def fit(self) -> None: ...
    def paint(self, region: QRegion) -> None: ...
    def picture(self) -> QImage: ...


def _way_of(widget: GlWidget) -> Way:
    """As the driver needs it, or as `EVENPALETTE_PICTURES` says: *read* or *composed*."""
    said = os.environ.get("EVENPALETTE_PICTURES")
    if said == "read" or (said != "composed" and draws_in_software()):
        from evenpalette.app.widgets.read_back import ReadBack

        return ReadBack(widget)
    from evenpalette.app.widgets.composed import Composed

    return Composed(widget)
