"""Folders for what is in between: each is gone when it is left, and those of processes that were killed when the next
begins one."""

import atexit
import contextlib
import fcntl
import os
import shutil
import stat
import tempfile
import time
from collections.abc import Iterator
from functools import cache
from pathlib import Path

_BEGIN = "evenpalette-"
#: The file that says that a folder is one of these; a lock on it says that its process lives. Without it a folder is
#: somebody's own, whatever it is called.
MARK = ".evenpalette-temporary"
#: A folder that is younger may not be locked yet by the one who made it.
_SOON_SECONDS = 60.0


@contextlib.contextmanager
def temp_folder(purpose: str) -> Iterator[Path]:
    """A folder of this process, in the folder for temporary files, until it is left. purpose: a word for its name.

    Raises OSError where there is no room for one.
    """
    folder, held = _taken(purpose)
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)
        os.close(held)


def temp_folder_of_process(purpose: str) -> Path:
    """Such a folder for as long as the process runs."""
    folder, _ = _taken(purpose)
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder


def _taken(purpose: str) -> tuple[Path, int]:
    """A new folder, and what holds it: a lock that ends with the process, however that ends."""
    _clear_away()
    folder = Path(tempfile.mkdtemp(prefix=f"{_BEGIN}{purpose}-"))
    held = os.open(folder / MARK, os.O_RDONLY | os.O_CREAT | os.O_CLOEXEC, 0o600)
    fcntl.flock(held, fcntl.LOCK_EX)
    return folder, held


@cache
def _clear_away() -> None:
    """Remove what processes that are gone have left, once."""
    for folder in Path(tempfile.gettempdir()).glob(f"{_BEGIN}*-*"):
        # Where there is no mark, looking for its lock is an OSError.
        with contextlib.suppress(OSError):
            found = folder.lstat()
            if not stat.S_ISDIR(found.st_mode) or found.st_uid != os.getuid():
                continue
            if time.time() - found.st_mtime > _SOON_SECONDS and _is_free(folder):
                shutil.rmtree(folder, ignore_errors=True)


def _is_free(folder: Path) -> bool:
    held = os.open(folder / MARK, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    try:
        fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        return True
    except BlockingIOError:
        return False
    finally:
        os.close(held)
