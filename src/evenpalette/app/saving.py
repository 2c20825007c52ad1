"""Saves in order: one at a time, the newest state wins, and whoever must not leave before it is written can wait."""

from collections.abc import Callable
from dataclasses import field
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QObject, pyqtSignal

from evenpalette.app.answers import answer
from evenpalette.app.tasks import Task, TaskRunner
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.storage.storage import Storage


@dataclass
class _Job:
    storage: Storage
    state: State
    overwrite: bool
    document: object
    then: list[Callable[[], None]] = field(default_factory=list)


class Saving(QObject):
    """The saves that are under way or wait for their turn. document: what `ask` was given, to know whose save ended."""

    #: Storage, state, document of a save that is on disk.
    saved = pyqtSignal(object, object, object)
    failed = pyqtSignal(object)
    _ended = pyqtSignal()

    def __init__(self, tasks: TaskRunner, parent: QObject) -> None:
        super().__init__(parent)
        self._tasks = tasks
        self._running: _Job | None = None
        self._waiting: list[_Job] = []
        self._failed = False

    @property
    def is_idle(self) -> bool:
        """Whether nothing is being written and nothing waits."""
        return self._running is None and not self._waiting

    def storage_for(self, folder: Path) -> Storage:
        """The storage that is writing a folder already, else a new one: two would not know of each other's saves."""
        jobs = [*([self._running] if self._running else []), *self._waiting]
        same = (job.storage for job in jobs if job.storage.folder.resolve() == folder.resolve())
        return next(same, None) or Storage(folder)

    def ask(
        self, storage: Storage, state: State, document: object, *, overwrite: bool, then: Callable[[], None] | None
    ) -> None:
        """Write a state after those that are under way; it takes the place of an older one that still waits."""
        job = _Job(storage, state, overwrite, document, [then] if then else [])
        older = [waiting for waiting in self._waiting if waiting.storage is storage]
        for waiting in older:
            self._waiting.remove(waiting)
            job.overwrite |= waiting.overwrite
            job.then = waiting.then + job.then
        self._waiting.append(job)
        if self._running is None:
            self._next()

    def wait(self) -> bool:
        """Stay here, painting, until everything asked for is written; False when some of it could not be."""
        self._failed = False
        if not self.is_idle:
            loop = QEventLoop()
            self._ended.connect(loop.quit)
            loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
        return not self._failed

    def _next(self) -> None:
        if not self._waiting:
            self._running = None
            self._ended.emit()
            return
        job = self._running = self._waiting.pop(0)

        def done(_: object) -> None:
            self.saved.emit(job.storage, job.state, job.document)
            for then in job.then:
                answer(then)
            self._next()

        def failed(error: Exception) -> None:
            self._failed = True
            self.failed.emit(error)
            self._next()

        self._tasks.start(
            Task(
                "Saving", lambda _: job.storage.save(job.state, overwrite=job.overwrite), done, failed, exclusive=False
            )
        )
