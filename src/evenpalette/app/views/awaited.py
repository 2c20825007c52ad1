"""Shaders that are compiled beside the window, while the last picture stands."""

from collections.abc import Iterable
from concurrent.futures import Future, wait

from PyQt6.QtCore import QObject, pyqtSignal

from evenpalette.app.tasks import Task, TaskRunner
from evenpalette.app.timers import timer

#: Milliseconds after which it is said that something is coming.
_LONG = 300


class Awaited(QObject):
    """What is waited for; the runner of tasks is not idle as long."""

    #: One of them is there: it is time to draw again.
    came = pyqtSignal()
    #: Whether it takes so long that one wonders.
    lasts = pyqtSignal(bool)

    def __init__(self, tasks: TaskRunner, parent: QObject) -> None:
        super().__init__(parent)
        self._tasks = tasks
        self._waiting: set[Future[None]] = set()
        self._timer = timer(self, _LONG)
        self._timer.timeout.connect(lambda: self.lasts.emit(True))

    @property
    def is_any(self) -> bool:
        """Whether anything is waited for."""
        return bool(self._waiting)

    def take(self, futures: "Iterable[Future[None]]") -> None:
        """Wait for these too."""
        for future in futures:
            if future not in self._waiting:
                if not self._waiting:
                    self._timer.start()
                self._waiting.add(future)
                self._wait(future)

    def _wait(self, future: "Future[None]") -> None:
        def done(_: object) -> None:
            self._waiting.discard(future)
            if not self._waiting:
                self._timer.stop()
                self.lasts.emit(False)
            self.came.emit()

        # A failure is said where it is drawn, if it is one there too.
        self._tasks.start(Task("Compiling", lambda _: wait([future]), done, done, exclusive=False))
