"""The mark in a project's folder that says who has it open, so that two windows do not save over each other.

Marks are numbered. The highest has the folder; taking it over from a window that is still open adds the next number, so
nobody removes another's mark, and the one who had it notices before its next save.
"""

import contextlib
import fcntl
import socket
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QFileInfo, QLockFile

from evenpalette.core.storage.held import mark_path, marks


class FolderLock:
    """Holds a project's folder for this window. A mark whose program has died does not count."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._number = 0
        self._file: QLockFile | None = None

    def take(self) -> bool:
        """Try to hold the folder; False while another window has it. A folder that takes no mark counts as held."""
        return self._take_number(max(self._numbers(), default=1))

    def take_over(self) -> bool:
        """Hold the folder although another window has it."""
        return self._take_number(max(self._numbers(), default=0) + 1)

    def _take_number(self, number: int) -> bool:
        path = self._path(number)
        if path.is_symlink() or (path.exists() and not path.is_file()):
            with contextlib.suppress(OSError):
                path.unlink()
        self._file, self._number = _lock_file(path), number
        if self._file.tryLock(0) or (_is_a_copy(path, self._file) and self._file.tryLock(0)):
            for older in self._numbers():
                if older < number:  # goes only where its program has died
                    old = _lock_file(self._path(older))
                    if old.tryLock(0):
                        old.unlock()
            return True
        held = self._file.error() == QLockFile.LockError.LockFailedError
        if not held:
            self._file = None
        return not held

    @property
    def is_held(self) -> bool:
        """Whether the mark is still there: it goes with a folder that is deleted and made anew."""
        return self._file is not None and self._path(self._number).exists()

    @property
    def is_lost(self) -> bool:
        """Whether another window took the folder over."""
        return self._file is not None and max(self._numbers(), default=0) > self._number

    def holder(self) -> str:
        """Who has the folder and since when, in words."""
        path = self._path(max(self._numbers(), default=1))
        known, pid, host, _ = _lock_file(path).getLockInfo()
        info = QFileInfo(str(path))
        since = info.lastModified().toSecsSinceEpoch()
        when = datetime.fromtimestamp(since).strftime("%d %b, %H:%M") if since > 0 else "some time"
        who = info.owner() or "somebody"
        where = f" on {host}" if known and host != socket.gethostname() else ""
        return f"{who}{where} since {when}" + (f" (process {pid})" if known else "")

    def release(self) -> None:
        """Let the folder go."""
        if self._file is not None:
            self._file.unlock()
            self._file = None

    def _path(self, number: int) -> Path:
        return mark_path(self.folder, number)

    def _numbers(self) -> list[int]:
        return marks(self.folder)


def _is_a_copy(path: Path, file: QLockFile) -> bool:
    """Remove a mark that came with a copied folder: its program runs on this machine, but does not hold this file."""
    known, _, host, _ = file.getLockInfo()
    if not known or host != socket.gethostname():
        return False
    try:
        with path.open("rb") as stream:
            fcntl.flock(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
            path.unlink()
    except OSError:
        return False
    return True


def _lock_file(path: Path) -> QLockFile:
    file = QLockFile(str(path))
    file.setStaleLockTime(0)
    return file
