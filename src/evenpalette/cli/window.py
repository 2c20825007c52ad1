"""The window, from the command line: on a project, or on the demo. Only loaded for those who open it: the other verbs
run where there is no Qt and no display."""

import argparse
from collections.abc import Sequence
from pathlib import Path

from evenpalette.cli.arguments import Verb
from evenpalette.core.collection import ENDING
from evenpalette.core.storage.description import PROJECT_FILE, project_folder


def add_verbs(verb: Verb) -> None:
    demo = verb("demo", _demo, "open the window on a fresh copy of the demo")
    demo.add_argument("--into", type=Path, help="folder to copy the demo into")


def is_project(path: Path) -> bool:
    """Whether a project lies there."""
    try:
        return (project_folder(path) / PROJECT_FILE).is_file()
    except (OSError, ValueError):
        return False


def is_readable(path: Path) -> bool:
    """Whether it is a mesh or a picture, by its ending, and there."""
    from evenpalette.core.mesh.readers import mesh_endings
    from evenpalette.core.raster.formats import picture_endings

    try:
        return path.suffix.lower() in (*mesh_endings(), *picture_endings()) and path.is_file()
    except (OSError, ValueError):
        return False


def is_shown_as_collection(path: Path) -> bool:
    """Whether it is a collection, by its name, and there."""
    try:
        return path.name.endswith(ENDING) and path.is_file()
    except (OSError, ValueError):
        return False


def open_window(
    project: Path | None = None, *, files: Sequence[Path] = (), demo: bool = False, into: Path | None = None
) -> int:
    """Until it is closed; the exit code. files: meshes and pictures for a new project."""
    from evenpalette.app.main import run

    return run(project, files=files, demo=demo, into=into)


def _demo(options: argparse.Namespace) -> int:
    return open_window(demo=True, into=options.into)
