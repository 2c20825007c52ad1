"""Autosave and recovery: a copy of every changed document in the user's state folder, found again after a crash."""

import contextlib
import json
import os
import shutil
import threading
import time
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from evenpalette.core.errors import ProjectError
from evenpalette.core.files import read_regular, reason, write_atomically
from evenpalette.core.project.state import State
from evenpalette.core.project.storage import Storage

INTERVAL_SECONDS = 15
_NOTE = "session.json"
_MOST_NOTE_BYTES = 1 << 20


def autosave_root() -> Path:
    """Where autosaves lie; EVENPALETTE_STATE overrides it."""
    override = os.environ.get("EVENPALETTE_STATE")
    return Path(override or platformdirs.user_state_path("evenpalette")) / "autosave"


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
        """Write the state beside, without touching the project. Raises ProjectError; the one before then still opens."""
        with self._writing:
            if not self._gone:
                self._write(state, project_path)
            if self._gone:
                shutil.rmtree(self.folder, ignore_errors=True)

    def _write(self, state: State, project_path: str) -> None:
        self._storage.save(state)
        note = {
            "pid": os.getpid(), "started": process_start(os.getpid()), "name": state.project.name,
            "project": project_path, "saved_at": time.time(),
        }  # fmt: skip
        try:
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


def process_start(pid: int) -> str:
    """When a process started, as the kernel counts; '' when there is no such process. Tells apart reused numbers."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[19]
    except (OSError, IndexError):
        return ""


def find_recoverable(root: Path | None = None) -> list[Recoverable]:
    """Autosaves whose program is no longer running, newest first."""
    found = []
    with contextlib.suppress(OSError):
        for folder in (root or autosave_root()).iterdir():
            try:
                note = json.loads(read_regular(folder / _NOTE, _MOST_NOTE_BYTES))
                if process_start(int(note["pid"])) == note["started"]:
                    continue
                found.append(Recoverable(folder, str(note["name"]), str(note["project"]), float(note["saved_at"])))
            except (OSError, ValueError, KeyError, TypeError, RecursionError):
                continue
    return sorted(found, key=lambda item: -item.saved_at)


def recover(item: Recoverable) -> State:
    """Open an autosave. Raises ProjectError."""
    return Storage(item.folder / "project").open()


def forget(item: Recoverable) -> None:
    """Remove an autosave for good."""
    shutil.rmtree(item.folder, ignore_errors=True)
