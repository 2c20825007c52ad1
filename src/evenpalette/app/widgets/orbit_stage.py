"""A scene that is turned and come nearer to by pointer, wheel and keys."""

import time
from collections.abc import Iterator
from contextlib import contextmanager

import moderngl
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from evenpalette.app.timers import timer
from evenpalette.app.widgets.gl_widget import GlWidget
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.gpu.pace import AT_REST_MS, Pace

#: What an arrow key turns by, as a drag over so many pixels; what a key or a notch of the wheel comes nearer by.
_TURN, _NEARER, _NOTCH = 12, 1.15, 1.0015
_ARROWS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
#: A press that moves less is a click.
_CLICK_PIXELS = 4


class OrbitStage(GlWidget):
    """Drag and arrows turn, wheel, plus and minus come nearer, Home shows all. While it moves, and at first, as few
    pixels are drawn as it takes to follow; all of them a moment later. `painted` with the seconds that it took."""

    painted = pyqtSignal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.camera = OrbitCamera()
        self._pressed: QPointF | None = None
        self._carried = False
        self._pace = Pace()
        self._moving = timer(self, AT_REST_MS)
        self._moving.timeout.connect(self._come_to_rest)

    def frame_all(self) -> None:
        """Show all of it."""
        raise NotImplementedError

    def clicked(self, place: QPointF) -> None:
        """It was clicked there."""

    def dragged(self, dx: float, dy: float, *, shift: bool) -> None:
        """The pointer was moved while its button was down, or an arrow key pressed, with Shift or without."""
        self.camera = self.camera.turned(dx, dy)
        self.follow()

    def follow(self) -> None:
        """Draw it as it is from now on, which goes on for a while."""
        self._moving.start()
        self.update()

    def hurry(self) -> None:
        """Draw it soon, however coarse, and then fine."""
        self._pace.hurry()
        self._moving.start()

    @property
    def coarser(self) -> int:
        """Pixels that one drawn one is wide now."""
        return self._pace.coarser if self._moving.isActive() else 1

    @contextmanager
    def measured(self, ctx: moderngl.Context) -> Iterator[None]:
        """Draw inside: how long it takes decides how coarse is drawn while it moves."""
        begin = time.perf_counter()
        yield
        ctx.finish()
        took = time.perf_counter() - begin
        if self._moving.isActive():
            self._pace.took(took)
        self.painted.emit(took)

    def _come_to_rest(self) -> None:
        self._pace.rest()
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._pressed, self._carried = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._pressed is None:
            return
        delta = event.position() - self._pressed
        if not self._carried and delta.manhattanLength() < _CLICK_PIXELS:
            return
        self._carried, self._pressed = True, event.position()
        self.dragged(delta.x(), delta.y(), shift=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._pressed is not None and not self._carried:
            self.clicked(event.position())
        self._pressed = None

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.camera = self.camera.zoomed(_NOTCH ** event.angleDelta().y())
        self.follow()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = Qt.Key(event.key())
        if key in _ARROWS:
            dx, dy = _ARROWS[key]
            shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.dragged(dx * _TURN, dy * _TURN, shift=shift)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.camera = self.camera.zoomed(1 / _NEARER if key is Qt.Key.Key_Minus else _NEARER)
            self.follow()
        elif key is Qt.Key.Key_Home:
            self.frame_all()
        else:
            super().keyPressEvent(event)
