"""Folders that a set of files is being written into, noted for as long, so that what a crash leaves there is found."""

import contextlib
import json
import os
import secrets
from collections.abc import Iterator
from pathlib import Path

from evenpalette.core.files import read_regular, write_atomically
from evenpalette.core.storage.processes import process_start
from evenpalette.core.storage.user_folder import state_folder

_MOST_BYTES = 1 << 16


def _notes() -> Path:
    return state_folder() / "writing"


@contextlib.contextmanager
def noted(folder: Path) -> Iterator[None]:
    """Note that this process writes into a folder. A note that cannot be made is done without."""
    note = _notes() / f"{os.getpid()}-{secrets.token_hex(4)}.json"
    said = {"pid": os.getpid(), "started": process_start(os.getpid()), "folder": str(folder.absolute())}
    with contextlib.suppress(OSError, UnicodeError):
        note.parent.mkdir(parents=True, exist_ok=True)
        write_atomically(note, json.dumps(said).encode())
    try:
        yield
    finally:
        with contextlib.suppress(OSError):
            note.unlink()


def left_behind() -> dict[Path, Path]:
    """Notes of processes that are gone, each with its folder; notes that say nothing are removed."""
    found = {}
    with contextlib.suppress(OSError):
        for note in _notes().glob("*.json"):
            try:
                said = json.loads(read_regular(note, _MOST_BYTES, links=False))
                pid, started, folder = int(said["pid"]), str(said["started"]), Path(str(said["folder"]))
            except (OSError, ValueError, KeyError, TypeError, RecursionError):
                with contextlib.suppress(OSError):
                    note.unlink()
                continue
            if process_start(pid) != started or not started:
                found[note] = folder
    return found
