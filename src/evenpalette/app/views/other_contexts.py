"""OpenGL on threads of its own: what takes a driver longer than the window may stand, as memory for large textures and
the compilation of shaders where drawing is done by software."""

import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

from PyQt6.QtGui import QOffscreenSurface, QOpenGLContext

T = TypeVar("T")
#: Form and Flat have a shader each.
_THREADS = 2


class OtherContexts:
    """Threads with an OpenGL context each that shares its textures with the views'. Made on the thread of the
    window."""

    def __init__(self, shared: QOpenGLContext) -> None:
        self._shared = shared
        self._surfaces = [self._surface() for _ in range(_THREADS)]
        self._free = list(self._surfaces)
        self._here = threading.local()
        self._threads = ThreadPoolExecutor(_THREADS, "other context")
        shared.aboutToBeDestroyed.connect(self.close)

    def _surface(self) -> QOffscreenSurface:
        made = QOffscreenSurface()
        made.setFormat(self._shared.format())
        made.create()
        return made

    def __call__(self, work: Callable[[], T]) -> "Future[T]":
        """Do it with a context current; fails where the driver cannot share."""
        return self._threads.submit(self._do, work)

    def _do(self, work: Callable[[], T]) -> T:
        if not hasattr(self._here, "context"):
            context = QOpenGLContext()
            context.setFormat(self._shared.format())
            context.setShareContext(self._shared)
            if not context.create():
                raise RuntimeError("no other context")
            # A context ends with its thread.
            self._here.context, self._here.surface = context, self._free.pop()
        if not self._here.context.makeCurrent(self._here.surface):
            raise RuntimeError("the other context cannot be used")
        try:
            return work()
        finally:
            self._here.context.doneCurrent()

    def close(self) -> None:
        """End the threads; what is being made is waited for."""
        self._threads.shutdown(wait=True, cancel_futures=True)
