"""What goes wrong inside, in a slot, a task or a callback: caught here, said, written down, and the work is kept.

PyQt ends the process where an exception leaves a slot and nobody has set `sys.excepthook`. Everything that is not meant
for the artist goes through that hook, also what a task raised on its thread; tests set their own, which fails them.
"""

import contextlib
import os
import platform
import sys
import threading
import traceback
from collections import deque
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QT_VERSION_STR, QObject, pyqtSignal

from evenpalette import __version__
from evenpalette.core.errors import EvenPaletteError, one_line
from evenpalette.core.files import write_atomically
from evenpalette.core.storage.user_folder import state_folder

#: Lines about what was done that a report ends with, and reports that are kept.
_ACTIONS, _REPORTS = 60, 20


def report(error: BaseException) -> None:
    """Hand an exception that nobody expected to the one place that takes them."""
    sys.excepthook(type(error), error, error.__traceback__)


def in_words(error: Exception) -> str:
    """An error as the artist reads it."""
    return (
        str(error)
        if isinstance(error, EvenPaletteError)
        else f"Something went wrong inside ({one_line(type(error).__name__)}). Nothing was changed."
    )


class Mishaps(QObject):
    """Takes what goes wrong inside while a window stands. say: tells the artist. keep: makes a copy of unsaved work."""

    #: From whatever thread; a report is written on the window's.
    _came = pyqtSignal(object)

    def __init__(self, say: Callable[[str], None], keep: Callable[[], None], parent: QObject) -> None:
        super().__init__(parent)
        self._say, self._keep = say, keep
        self._done: deque[str] = deque(maxlen=_ACTIONS)
        self._known: set[str] = set()
        self._is_at_work = False
        self._came.connect(self._take)

    def note(self, what: str) -> None:
        """Something that was done, for reports to come."""
        self._done.append(f"{datetime.now(UTC):%H:%M:%S} {one_line(what)[:200]}")

    def install(self) -> None:
        """Take all that is not caught elsewhere, from now on."""
        sys.excepthook = self._caught
        threading.excepthook = lambda args: self._caught(
            args.exc_type, args.exc_value or args.exc_type(), args.exc_traceback
        )

    def _caught(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if not issubclass(kind, Exception):
            sys.__excepthook__(kind, error, trace)
            return
        with contextlib.suppress(RuntimeError):  # the window is gone
            self._came.emit(error.with_traceback(trace))

    def _take(self, error: Exception) -> None:
        text = "".join(traceback.format_exception(error))
        print(text, file=sys.stderr, end="")
        if self._is_at_work or text in self._known:
            return
        self._is_at_work = True
        self._known.add(text)
        try:
            written = self._write(text)
            self._say(
                f"{in_words(error).rstrip('.')}. Your work is kept"
                + (f"; a report lies in {written}." if written else ".")
            )
            self._keep()
        except Exception:
            traceback.print_exc()
        finally:
            self._is_at_work = False

    def _write(self, text: str) -> Path | None:
        """A report in the user's state folder, beside the newest of those before."""
        folder = state_folder() / "reports"
        when = datetime.now(UTC)
        head = f"Even Palette {__version__}, {when:%Y-%m-%d %H:%M:%S} UTC\nPython {platform.python_version()}, Qt {QT_VERSION_STR}, {platform.platform()}\n"
        try:
            folder.mkdir(parents=True, exist_ok=True)
            path = folder / f"{when:%Y%m%d-%H%M%S-%f}-{os.getpid()}.txt"
            write_atomically(
                path, "\n".join((head, text, "What was done last:", *self._done, "")).encode(errors="replace")
            )
            for old in sorted(folder.glob("*.txt"))[:-_REPORTS]:
                old.unlink()
        except OSError:
            return None
        return path
