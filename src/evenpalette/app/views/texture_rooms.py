"""Making large textures on a thread of their own: a driver that draws by software clears their memory, which takes longer
than the window may stand."""

from concurrent.futures import Future, ThreadPoolExecutor

from PyQt6.QtGui import QOffscreenSurface, QOpenGLContext

from evenpalette.gpu.levels import Room, make_room


class TextureRooms:
    """A thread with an OpenGL context that shares its textures with the views'. Made on the thread of the window."""

    def __init__(self, shared: QOpenGLContext) -> None:
        self._shared = shared
        self._surface = QOffscreenSurface()
        self._surface.setFormat(shared.format())
        self._surface.create()
        self._context: QOpenGLContext | None = None
        self._thread = ThreadPoolExecutor(1, "textures")
        shared.aboutToBeDestroyed.connect(self.close)

    def __call__(self, room: Room) -> "Future[int]":
        """The name of a texture as asked, when it is there; fails where the driver cannot share."""
        return self._thread.submit(self._make, room)

    def _make(self, room: Room) -> int:
        if self._context is None:
            context = QOpenGLContext()
            context.setFormat(self._shared.format())
            context.setShareContext(self._shared)
            if not context.create():
                raise RuntimeError("no second context")
            self._context = context
        if not self._context.makeCurrent(self._surface):
            raise RuntimeError("the second context cannot be used")
        try:
            return make_room(room)
        finally:
            self._context.doneCurrent()

    def _end(self) -> None:
        self._context = None

    def close(self) -> None:
        """End the thread; what is being made is waited for."""
        try:
            self._thread.submit(self._end)
        except RuntimeError:
            return
        self._thread.shutdown(wait=True)
