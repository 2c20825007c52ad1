"""A project in one piece, to be worked on elsewhere: its file and what that names, named by their content."""

import hashlib
import io
import zipfile
from collections.abc import Mapping
from pathlib import Path

from evenpalette.core.errors import ProjectError
from evenpalette.core.storage.description import PROJECT_FILE, named_files, parse_project
from evenpalette.core.storage.storage import Storage

#: A moment that says nothing, so that equal projects are packed alike.
_WHEN = (1980, 1, 1, 0, 0, 0)


def pack_project(folder: Path | str) -> tuple[str, bytes]:
    """A saved project as one blob, and its name, 64 hexadecimal digits that tell contents apart. Data only: pictures,
    mesh and the project's file. Raises ProjectError."""
    parts = Storage(folder).contents()
    return word_of(parts), packed(parts)


def word_of(parts: Mapping[str, bytes]) -> str:
    """The name of a project's files, as `Storage.contents` has them."""
    made = hashlib.sha256()
    for name in sorted(parts):
        made.update(f"{len(name)} {len(parts[name])} {name}".encode("utf-8", "surrogatepass"))
        made.update(parts[name])
    return made.hexdigest()


def packed(parts: Mapping[str, bytes]) -> bytes:
    """A project's files as one blob."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_STORED) as made:
        for name in sorted(parts):
            made.writestr(zipfile.ZipInfo(name, _WHEN), parts[name])
    return stream.getvalue()


def unpack_project(blob: bytes, folder: Path) -> None:
    """Lay a packed project into an empty folder. Raises ProjectError for a blob that is none."""
    try:
        with zipfile.ZipFile(io.BytesIO(blob)) as held:
            own = held.read(PROJECT_FILE)
            known = named_files(parse_project(own, "A packed project")) | {PROJECT_FILE}
            if set(held.namelist()) != known:
                raise ProjectError("A packed project holds other files than it names.")
            for name in known:
                if (folder / name).resolve().is_relative_to(folder.resolve()):
                    (folder / name).parent.mkdir(parents=True, exist_ok=True)
                    (folder / name).write_bytes(held.read(name))
    except (OSError, ValueError, KeyError, zipfile.BadZipFile) as error:
        raise ProjectError("This is no packed project.") from error
