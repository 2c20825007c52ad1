"""Long work off the interface thread, with progress and cancel."""

import contextlib
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from evenpalette.core.errors import Cancelled
from evenpalette.core.parallel import Progress


@dataclass
class Task:
    """Work to do. exclusive: shown with a bar, one at a time; all others run silently beside it."""

    label: str
    work: Callable[[Progress], Any]
    done: Callable[[Any], None]
    failed: Callable[[Exception], None]
    exclusive: bool = True


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
        self._others = 0
        self._cancel = threading.Event()
        self._finished.connect(self._finish)

    @property
    def is_busy(self) -> bool:
        """Whether a task with a bar is running."""
        return self._exclusive is not None

    @property
    def is_idle(self) -> bool:
        """Whether nothing runs."""
        return self._exclusive is None and self._others == 0

    def start(self, task: Task) -> bool:
        """Begin a task; refused (False) while another one with a bar is running."""
        if task.exclusive:
            if self._exclusive is not None:
                self.refused.emit(
                    f"{task.label} was not begun: {self._exclusive.label} is still running. Wait for it, or stop it with Esc."
                )
                return False
            self._exclusive = task
            self._cancel = threading.Event()
            self.started.emit(task.label)
        else:
            self._others += 1
        cancel = self._cancel

        def progress(share: float) -> None:
            if task.exclusive:
                if cancel.is_set():
                    raise Cancelled("stopped")
                self.progressed.emit(share)

        def body() -> None:
            result: Any = None
            error: Exception | None = None
            try:
                result = task.work(progress)
            except Exception as caught:
                error = caught
            # The window may have been closed meanwhile; then nobody waits for the result.
            with contextlib.suppress(RuntimeError):
                self._finished.emit(task, result, error)

        threading.Thread(target=body, daemon=not task.label.startswith("Saving"), name=task.label).start()
        return True

    def cancel(self) -> None:
        """Ask the running task to stop."""
        self._cancel.set()

    def _finish(self, task: Task, result: Any, error: Exception | None) -> None:
        if task.exclusive:
            self._exclusive = None
            self.ended.emit()
        else:
            self._others -= 1
        if error is not None:
            task.failed(error)
        else:
            task.done(result)
