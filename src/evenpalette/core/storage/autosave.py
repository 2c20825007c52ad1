"""Autosave and recovery: a copy of every changed document in the user's state folder, found again after a crash."""

import contextlib
import json
import os
import re
import shutil
import threading
import time
from pathlib import Path

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.errors import ProjectError
from evenpalette.core.files import read_regular, reason, write_atomically
from evenpalette.core.storage.description import PROJECT_FILE
from evenpalette.core.storage.processes import process_start
from evenpalette.core.storage.storage import Storage
from evenpalette.core.storage.user_folder import state_folder

INTERVAL_SECONDS = 15
_NOTE = "session.json"
_MOST_NOTE_BYTES = 1 << 20
_FOLDER = re.compile(r"([0-9]{1,10})-[0-9a-f]+")


def autosave_root() -> Path:
    """Where autosaves lie."""
    return state_folder() / "autosave"


@dataclass(frozen=True)
class Recoverable:
    """An autosave whose program is gone. folder: the autosave; project: where it was saved last, or ''."""

    folder: Path
    name: str
    project: str
    saved_at: float


class Autosave:
    """The autosave of one open document, until it is discarded. May be used from any thread."""

    def __init__(self, root: Path | None = None) -> None:
        self.folder = (root or autosave_root()) / f"{os.getpid()}-{time.time_ns():x}"
        self._storage = Storage(self.folder / "project")
        self._writing = threading.Lock()
        self._gone = False

    def save(self, state: State, project_path: str) -> None:
        """Write the state beside, without touching the project. Raises ProjectError; the one before then still
        opens."""
        with self._writing:
            if not self._gone:
                self._write(state, project_path)
            if self._gone:
                shutil.rmtree(self.folder, ignore_errors=True)

    def _write(self, state: State, project_path: str) -> None:
        # Noted before too: what is cut off the first time is known for what it is.
        if not (self.folder / _NOTE).exists():
            self._note(state, project_path)
        self._storage.save(state)
        self._note(state, project_path)

    def _note(self, state: State, project_path: str) -> None:
        note = {
            "pid": os.getpid(), "started": process_start(os.getpid()), "name": state.project.name,
            "project": project_path, "saved_at": time.time(),
        }  # fmt: skip
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            write_atomically(self.folder / _NOTE, json.dumps(note).encode())
        except OSError as error:
            raise ProjectError(f"Autosave failed: {reason(error)}. Save the project yourself.") from error

    def discard(self) -> None:
        """Remove the autosave for good: the document was saved or closed on purpose. One that is being written goes
        when it is done."""
        self._gone = True
        if self._writing.acquire(blocking=False):
            try:
                shutil.rmtree(self.folder, ignore_errors=True)
            finally:
                self._writing.release()


def find_recoverable(root: Path | None = None) -> list[Recoverable]:
    """Autosaves whose program is no longer running, newest first. Those that were cut off before there was anything to
    recover are removed."""
    found = []
    with contextlib.suppress(OSError):
        for folder in (root or autosave_root()).iterdir():
            item = _left(folder)
            if item is None:
                continue
            if (folder / "project" / PROJECT_FILE).is_file():
                found.append(item)
            elif not folder.is_symlink():
                shutil.rmtree(folder, ignore_errors=True)
    return sorted(found, key=lambda item: -item.saved_at)


def _left(folder: Path) -> Recoverable | None:
    """What a program that is gone left in a folder of ours; None while it runs, and for anything else."""
    named = _FOLDER.fullmatch(folder.name)
    if named is None or not folder.is_dir():
        return None
    try:
        note = json.loads(read_regular(folder / _NOTE, _MOST_NOTE_BYTES))
        if process_start(int(note["pid"])) == note["started"]:
            return None
        return Recoverable(folder, str(note["name"]), str(note["project"]), float(note["saved_at"]))
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        if process_start(int(named[1])):
            return None
        return Recoverable(folder, "a project whose name was lost", "", folder.stat().st_mtime)


def recover(item: Recoverable) -> State:
    """Open an autosave. Raises ProjectError."""
    return Storage(item.folder / "project").open()


def forget(item: Recoverable) -> None:
    """Remove an autosave for good."""
    shutil.rmtree(item.folder, ignore_errors=True)
