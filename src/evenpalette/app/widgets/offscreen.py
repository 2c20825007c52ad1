"""OpenGL that draws into no window."""

from functools import cache

import moderngl
from PyQt6.QtGui import QOffscreenSurface, QOpenGLContext
from PyQt6.QtWidgets import QWidget

from evenpalette.core.errors import NoDrawing
from evenpalette.gpu.software import draws_by

_NONE = (
    "Pictures are drawn with OpenGL 3.3, and no driver here offers it: install the driver of the graphics card, or Mesa's, "
    "which draws without a card (libgl1-mesa-dri and libegl1 in Debian)."
)
#: What is asked of a driver.
_LEAST = 330
#: A context that was made to ask about the driver, and is still to be used.
_spare: list[tuple[QOpenGLContext, QOffscreenSurface]] = []


class _Functions:
    """Where moderngl finds the functions of OpenGL: by Qt, which knows whether GLX has made the context or, as on
    Wayland, EGL."""

    def load_opengl_function(self, name: str) -> int:
        current = QOpenGLContext.currentContext()
        found = current.getProcAddress(name.encode()) if current is not None else None
        return int(found) if found else 0

    def __enter__(self) -> None: ...

    def __exit__(self, *_: object) -> None: ...

    def release(self) -> None: ...


def current_context() -> moderngl.Context:
    """What draws in Qt's context that is current on this thread. Raises ValueError for a driver without OpenGL 3.3."""
    moderngl.init_context(_Functions())
    ctx = moderngl.get_context()
    if ctx.version_code < _LEAST:
        raise ValueError(f"OpenGL {ctx.version_code} is too old.")
    return ctx


class Offscreen:
    """A context of a widget's own; it ends with the widget."""

    def __init__(self, owner: QWidget) -> None:
        self.context, self._surface = _spare.pop() if _spare else _made()
        self.context.setParent(owner)
        self._surface.setParent(owner)

    def enter(self) -> None:
        """Make it current."""
        self.context.makeCurrent(self._surface)

    def leave(self) -> None:
        """No context is current any more."""
        self.context.doneCurrent()


def _made() -> tuple[QOpenGLContext, QOffscreenSurface]:
    context, surface = QOpenGLContext(), QOffscreenSurface()
    surface.create()
    if not context.create() or not context.makeCurrent(surface):
        raise NoDrawing(_NONE)
    context.doneCurrent()
    return context, surface


@cache
def draws_in_software() -> bool:
    """Whether a processor draws here. Raises NoDrawing where nothing does."""
    context, surface = _made()
    context.makeCurrent(surface)
    try:
        found = draws_by(current_context())
    except ValueError as error:
        raise NoDrawing(_NONE) from error
    finally:
        context.doneCurrent()
    _spare.append((context, surface))
    return found
