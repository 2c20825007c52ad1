"""Long work off the interface thread, with progress and cancel."""

import contextlib
import os
import threading
import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QCoreApplication, QEventLoop, QObject, pyqtSignal

from evenpalette.app import mishaps
from evenpalette.app.answers import answer
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import Cancelled, EvenPaletteError
from evenpalette.core.files import reason
from evenpalette.core.parallel import Progress

#: Work that is not done so long after it was asked to stop is left behind.
_LONGEST_STOP_SECONDS = 60.0
#: How far work that yields steps back, of 19.
_NICE = 10


def _yield_to_all_else() -> None:
    """Take the processor only where nobody else wants it: this thread, and those that it begins."""
    with contextlib.suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICE)


@dataclass
class Task:
    """Work to do. exclusive: shown with a bar, one at a time; all others run silently beside it. aside: takes as long
    as it takes, and nothing waits for it. yields: leaves the processor to all else.

    done and failed are called on the interface thread, or not at all where what they hold is gone by then.
    """

    label: str
    work: Callable[[Progress], Any]
    done: Callable[[Any], None]
    failed: Callable[[Exception], None]
    exclusive: bool = True
    aside: bool = False
    yields: bool = False


class TaskRunner(QObject):
    """Runs tasks on threads; results come back on the interface thread."""

    started = pyqtSignal(str)
    #: A long piece of work was asked for while another runs: why it was not begun.
    refused = pyqtSignal(str)
    progressed = pyqtSignal(float)
    ended = pyqtSignal()
    _finished = pyqtSignal(object, object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._exclusive: Task | None = None
        self._running: dict[int, tuple[Task, threading.Thread]] = {}
        self._cancel = threading.Event()
        self._stop = threading.Event()
        #: Whether the last task with a bar came to its end.
        self.went_well = True
        self._finished.connect(self._finish)

    @property
    def is_busy(self) -> bool:
        """Whether a task with a bar is running."""
        return self._exclusive is not None

    @property
    def running(self) -> str:
        """What the task with a bar is called, '' when none runs."""
        return self._exclusive.label if self._exclusive is not None else ""

    @property
    def is_idle(self) -> bool:
        """Whether nothing runs that anything waits for."""
        return all(task.aside for task, _ in self._running.values())

    def start(self, task: Task) -> bool:
        """Begin a task; refused (False) while another one with a bar is running, and after `stop`."""
        if self._stop.is_set():
            return False
        if task.exclusive:
            if self._exclusive is not None:
                self.refused.emit(
                    f"{task.label} was not begun: {self._exclusive.label} is still running. Wait for it, or stop it with Esc."
                )
                return False
            self._exclusive = task
            self._cancel = threading.Event()
            self.started.emit(task.label)
        cancel, stop = self._cancel, self._stop

        def progress(share: float) -> None:
            if stop.is_set() or (task.exclusive and cancel.is_set()):
                raise Cancelled("stopped")
            if task.exclusive:
                self.progressed.emit(share)

        def body() -> None:
            result: Any = None
            error: Exception | None = None
            if task.yields:
                _yield_to_all_else()
            try:
                result = task.work(progress)
            except Exception as caught:
                error = caught
            # Nobody waits for the result of work that was left behind.
            with contextlib.suppress(RuntimeError):
                self._finished.emit(task, result, error)

        thread = threading.Thread(target=body, daemon=True, name=task.label)
        self._running[id(task)] = task, thread
        thread.start()
        return True

    def cancel(self) -> None:
        """Ask the running task to stop."""
        self._cancel.set()

    def stop(self) -> None:
        """Begin nothing more, ask all that runs to stop, and stay here, painting, until it has."""
        self._stop.set()
        end = time.monotonic() + _LONGEST_STOP_SECONDS
        while self._running and time.monotonic() < end:
            QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents, 50)
            time.sleep(0.002)

    def _finish(self, task: Task, result: Any, error: Exception | None) -> None:
        running = self._running.pop(id(task), None)
        if running is not None:
            running[1].join()
        if task.exclusive:
            self._exclusive = None
            self.went_well = error is None
            self.ended.emit()
        if error is None:
            answer(task.done, result)
            return
        if isinstance(error, OSError):
            # A disk that is full, a folder that is gone: nothing that went wrong inside.
            error = EvenPaletteError(f"{task.label} did not come to its end: {reason(error)}.")
        elif not isinstance(error, EvenPaletteError) and not self._stop.is_set():
            mishaps.report(error)
        answer(task.failed, error)
