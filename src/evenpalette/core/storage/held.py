"""Whether a window has a project's folder: by the marks that windows leave there, and locks on them."""

import fcntl
import re
import socket
from pathlib import Path

from evenpalette.core.errors import ProjectError

#: How a mark is called; the highest number has the folder.
MARK = re.compile(r"\.even-palette-([0-9]{1,4})\.lock")
_MOST_BYTES = 1000


def marks(folder: Path) -> list[int]:
    """The numbers of the marks in a folder."""
    try:
        return [int(found[1]) for path in folder.iterdir() if (found := MARK.fullmatch(path.name))]
    except OSError:
        return []


def mark_path(folder: Path, number: int) -> Path:
    """Where a mark lies."""
    return folder / f".even-palette-{number}.lock"


def holder_of(folder: Path) -> str:
    """Who has the folder open in a window, in words; '' for nobody. A mark whose program has died does not count."""
    numbers = marks(folder)
    if not numbers:
        return ""
    try:
        with mark_path(folder, max(numbers)).open("rb") as stream:
            said = stream.read(_MOST_BYTES).decode("utf-8", "replace").split("\n")
            process, host = said[0].strip(), said[2].strip() if len(said) > 2 else ""
            try:
                fcntl.flock(stream, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except BlockingIOError:
                return f"a window of this machine (process {process})"
    except OSError:
        return ""
    return f"a window on {host}" if host and host != socket.gethostname() else ""


def check_free(folder: Path) -> None:
    """Raises ProjectError where a window has the project open: it would not know of what is written here."""
    holder = holder_of(folder)
    if holder:
        raise ProjectError(f"{folder.name} is open in {holder}. Close it there, or do this in the window.")
