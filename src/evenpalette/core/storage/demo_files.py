"""The demo projects that ship with the application, and the collection that they make up."""

import shutil
import tempfile
from importlib.resources import as_file, files
from pathlib import Path

from evenpalette.core.errors import ProjectError

FIRST = "moth-lantern"


def demo_names() -> list[str]:
    """Names of the demo projects, the first one first."""
    root = files("evenpalette.core.storage") / "demo"
    names = sorted(entry.name for entry in root.iterdir() if (entry / "project.json").is_file())
    return sorted(names, key=lambda name: name != FIRST)


def copy_demo(into: Path | None = None, name: str = "") -> Path:
    """Copy all demo projects into a folder (a new temporary one by default); returns the folder of the named one.

    Raises ProjectError when the folder cannot be written, or when it already holds something else of that name.
    """
    try:
        target = Path(into) if into is not None else Path(tempfile.mkdtemp(prefix="lantern-market-"))
        target.mkdir(parents=True, exist_ok=True)
        with as_file(files("evenpalette.core.storage") / "demo") as source:
            for demo in demo_names():
                place = target / demo
                if place.exists():
                    if not (place / "project.json").is_file():
                        raise ProjectError(f"{place} exists and is no project. Choose another folder for the demo.")
                    shutil.rmtree(place)
                shutil.copytree(source / demo, place)
            for collection in source.glob("*.collection.json"):
                shutil.copyfile(collection, target / collection.name)
    except OSError as error:
        raise ProjectError(f"The demo cannot be copied to {into}: {error.strerror}.") from error
    return target / (name or FIRST)
