"""A project's folder on disk, taken as hostile: nothing outside it is read, written or deleted, whatever lies in it.

Every path is walked part by part from an open descriptor of the folder and no part may be a link, so neither a crafted
project nor one that is changed meanwhile leads elsewhere. One program at a time is inside: others wait for it.
"""

import contextlib
import errno
import fcntl
import os
import stat
import threading
import time
from collections.abc import Iterator
from pathlib import Path, PurePosixPath

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import ProjectError
from evenpalette.core.files import PART_FILE, flush_descriptor, make_folder, read_regular, reason, write_inside

_OPEN = os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC
_WAIT_SECONDS = 60.0
_here: dict[str, threading.RLock] = {}
_here_guard = threading.Lock()


@dataclass(frozen=True)
class Identity:
    """What tells a file from another one that was put in its place or written over it."""

    device: int
    number: int
    size: int
    modified_ns: int
    changed_ns: int

    @classmethod
    def of(cls, found: os.stat_result) -> "Identity":
        """The identity that `os.stat` tells."""
        return cls(found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns, found.st_ctime_ns)


class ProjectFolder:
    """The folder, held open while something is done in it."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._root = -1
        self.made: list[Path] = []

    @contextlib.contextmanager
    def entered(self, *, make: bool = False) -> Iterator["ProjectFolder"]:
        """Hold the folder, alone among threads and programs. make: make it where it is missing.

        Raises OSError where it cannot be opened, ProjectError where another program does not let go of it.
        """
        with _lock_of(self.path):
            try:
                self.made = make_folder(self.path) if make else []
                self._root = os.open(self.path, _OPEN)
            except (ValueError, UnicodeError) as error:
                raise OSError(errno.EINVAL, "this is no folder name") from error
            try:
                self._wait_for_others()
                yield self
            finally:
                os.close(self._root)
                self._root = -1

    def _wait_for_others(self) -> None:
        end = time.monotonic() + _WAIT_SECONDS
        while True:
            try:
                fcntl.flock(self._root, fcntl.LOCK_EX | fcntl.LOCK_NB)
                return
            except BlockingIOError:
                if time.monotonic() > end:
                    raise ProjectError(
                        f"{self.path.name} is held by another program that reads or saves it. Try again later."
                    ) from None
                time.sleep(0.02)
            except OSError:  # a file system without locks
                return

    def read(self, relative: str, most_bytes: int) -> tuple[bytes, Identity]:
        """The bytes of a file inside and what identifies it. Raises ProjectError."""
        try:
            with self._parent(relative) as (folder, name):
                before = os.stat(name, dir_fd=folder, follow_symlinks=False)
                if stat.S_ISLNK(before.st_mode):
                    raise self._outside(relative)
                content = read_regular(name, most_bytes, folder=folder, links=False)
                return content, Identity.of(before)
        except OSError as error:
            raise ProjectError(f"{self.path.name}: {relative} cannot be read: {reason(error)}.") from error

    def identity(self, relative: str) -> Identity | None:
        """What identifies a regular file inside, None where there is none."""
        try:
            with self._parent(relative) as (folder, name):
                found = os.stat(name, dir_fd=folder, follow_symlinks=False)
        except (OSError, ProjectError):
            return None
        return Identity.of(found) if stat.S_ISREG(found.st_mode) else None

    def write(self, relative: str, content: bytes) -> Identity:
        """Write a file inside, atomically and lastingly. Raises OSError, ProjectError for a link in the way."""
        with self._parent(relative, make=True) as (folder, name):
            return Identity.of(write_inside(folder, name, content))

    def remove(self, relative: str) -> None:
        """Remove a file inside, and its folder when that is empty then; what is not there is no error."""
        with contextlib.suppress(OSError, ProjectError):
            with self._parent(relative) as (folder, name):
                os.unlink(name, dir_fd=folder)
            self.prune(str(PurePosixPath(relative).parent))

    def prune(self, kind: str) -> None:
        """Remove a folder inside when it is empty."""
        with contextlib.suppress(OSError):
            os.rmdir(kind, dir_fd=self._root)

    def sweep(self, kind: str = ".") -> None:
        """Remove what a killed write of ours left in a folder inside."""
        with contextlib.suppress(OSError):
            folder = os.open(kind, _OPEN | os.O_NOFOLLOW, dir_fd=self._root)
            try:
                for name in os.listdir(folder):  # noqa: PTH208 - of an open folder
                    if PART_FILE.fullmatch(name):
                        with contextlib.suppress(OSError):
                            os.unlink(name, dir_fd=folder)
            finally:
                os.close(folder)

    @contextlib.contextmanager
    def _parent(self, relative: str, *, make: bool = False) -> Iterator[tuple[int, str]]:
        """The folder that a file lies in, as a descriptor, and the file's name in it."""
        parts = PurePosixPath(relative).parts
        unsafe = not parts or len(parts) > 8 or PurePosixPath(relative).is_absolute() or ".." in parts
        if unsafe or any("\0" in part or not _encodes(part) for part in parts):
            raise self._outside(relative)
        folder = os.dup(self._root)
        try:
            for part in parts[:-1]:
                folder = self._step_into(folder, part, relative, make)
            yield folder, parts[-1]
        finally:
            os.close(folder)

    def _step_into(self, folder: int, part: str, relative: str, make: bool) -> int:
        if make:
            with contextlib.suppress(FileExistsError):
                os.mkdir(part, dir_fd=folder)
                flush_descriptor(folder)
        try:
            inner = os.open(part, _OPEN | os.O_NOFOLLOW, dir_fd=folder)
        except OSError as error:
            if error.errno in (errno.ELOOP, errno.ENOTDIR) and _is_link(folder, part):
                raise self._outside(relative) from None
            raise
        os.close(folder)
        return inner

    def _outside(self, relative: str) -> ProjectError:
        return ProjectError(
            f"{self.path.name} names '{relative}', which lies outside the project or is a link. It was not touched."
        )


def _is_link(folder: int, name: str) -> bool:
    with contextlib.suppress(OSError):
        return stat.S_ISLNK(os.stat(name, dir_fd=folder, follow_symlinks=False).st_mode)
    return False


def _encodes(text: str) -> bool:
    try:
        os.fsencode(text)
        text.encode()
    except UnicodeError:
        return False
    return True


def _lock_of(path: Path) -> threading.RLock:
    """The lock that all threads share which work in a folder, by whatever path they reach it."""
    try:
        key = os.path.realpath(path)
    except (ValueError, OSError) as error:
        raise OSError(errno.EINVAL, "this is no folder name") from error
    with _here_guard:
        return _here.setdefault(key, threading.RLock())
