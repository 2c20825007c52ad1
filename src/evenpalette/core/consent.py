"""Which files that a project names may be read: those that lie in it; others only where the artist said so."""

from collections.abc import Callable
from pathlib import Path

#: Whether a file, by its path, may be read.
MayRead = Callable[[str], bool]


def nothing(_: str) -> bool:
    """No file at all."""
    return False


def inside(folder: Path | None) -> MayRead:
    """Files that lie in a project's folder, where no link leads out of it."""

    def may(path: str) -> bool:
        try:
            return folder is not None and Path(path).resolve().is_relative_to(folder.resolve())
        except (OSError, ValueError, RuntimeError):
            return False

    return may
