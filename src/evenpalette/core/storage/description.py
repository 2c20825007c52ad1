"""What project.json says: reading it from untrusted bytes, the files that it names, the paths in it."""

import json
import os
import re
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from evenpalette.core.document.migrate import migrated
from evenpalette.core.document.project import FORMAT, VERSION, Project
from evenpalette.core.document.validate import check_project, check_tree
from evenpalette.core.errors import ProjectError

PROJECT_FILE = "project.json"
_OWN_FILE = re.compile(r"(textures|coverages|painted|tone|mesh)/[a-z0-9-]+\.([0-9a-f]{12})\.(png|exr|obj|ply|glb)")


def relative_to(path: str, folder: Path) -> str:
    """A path as seen from the project, where the file lies in the folder that holds the project or below, so that both
    can be moved together; else as it is."""
    try:
        whole = Path(path)
        if whole.is_absolute() and whole.is_relative_to(folder.resolve().parent):
            return Path(os.path.relpath(whole, folder.resolve())).as_posix()
    except (OSError, ValueError):
        pass
    return path


def absolute_in(path: str, folder: Path) -> str:
    """The path that `relative_to` gave, whole."""
    try:
        return path if Path(path).is_absolute() else os.path.normpath(folder.resolve() / path)
    except (OSError, ValueError):
        return path


def named_files(project: Project) -> set[str]:
    """The files that a project names, by their paths inside its folder."""
    return {*project.rasters.values(), *([project.mesh_file] if project.mesh_file else [])}


def name_word(path: str) -> str:
    """The word of its content that one of our own files is named by, '' for any other file."""
    own = _OWN_FILE.fullmatch(path)
    return own.group(2) if own else ""


def named_by(content: bytes) -> set[str]:
    """Our own files that the bytes of a project.json name, whatever else it holds."""
    try:
        raw = json.loads(content)
        files = [*raw["rasters"].values(), raw["mesh_file"]]
    except (ValueError, RecursionError, KeyError, TypeError, AttributeError):
        return set()
    return {name for name in files if isinstance(name, str) and _OWN_FILE.fullmatch(name)}


def _no_number(word: str) -> float:
    raise ValueError(f"{word} is no number")


def parse_project(content: bytes, where: str) -> Project:
    """The checked contents of a project.json. Raises ProjectError for a newer version or anything malformed."""
    try:
        raw: Any = json.loads(content.decode("utf-8"), parse_constant=_no_number)
        check_tree(raw)
    except (ValueError, RecursionError) as error:
        raise ProjectError(f"{where}: {PROJECT_FILE} is damaged ({str(error)[:100]}).") from error
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise ProjectError(f"{where}: {PROJECT_FILE} is not an Even Palette project.")
    version = raw.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version > VERSION:
        raise ProjectError(
            f"{where} was saved by a newer Even Palette (format {version}, this one reads up to {VERSION})."
        )
    try:
        project = Project.model_validate(migrated(raw))
    except (ValidationError, RecursionError) as error:
        raise ProjectError(f"{where}: {PROJECT_FILE} is damaged at {_first_place(error)}.") from error
    check_project(project, where)
    return project


def _first_place(error: Exception) -> str:
    if not isinstance(error, ValidationError):
        return "a place nested too deeply"
    first = error.errors(include_input=False, include_url=False)[0]
    return f"{' > '.join(str(part)[:60] for part in first['loc'])}: {first['msg'][:200]}"


def check_new(folder: Path) -> None:
    """Raises ProjectError for a folder that a new project cannot begin in: one that has something in it, or a file."""
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise ProjectError(f"{folder} is there already and not an empty folder. Name another one.")


def project_folder(path: Path | str) -> Path:
    """The project folder for what a user points at: the folder or its project.json."""
    path = Path(path)
    return path.parent if path.name == PROJECT_FILE else path
