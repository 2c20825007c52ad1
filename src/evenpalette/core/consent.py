"""Which files that a project names may be read: those that lie in it; others only where the artist said so. And where
programs of the user's own lie, which are run only where somebody said so."""

import os
from collections.abc import Callable
from pathlib import Path

import platformdirs

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


def own_folder() -> Path:
    """Where steps of the user's own lie: in the user's data folder, or where EVENPALETTE_STEPS says."""
    said = os.environ.get("EVENPALETTE_STEPS")
    return Path(said) if said else platformdirs.user_data_path("evenpalette") / "steps"
