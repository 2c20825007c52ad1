"""Reading mesh files, by their ending and checked by their content."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TypeVar

from evenpalette.core.errors import MeshFileError
from evenpalette.core.files import read_regular, reason, told_by
from evenpalette.core.limits import limits
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.readers import mesh_endings, reader_of
from evenpalette.core.quiet import quiet_libraries

T = TypeVar("T")


def read_mesh(path: Path | str) -> Mesh:
    """Read an OBJ, PLY, GLB or glTF file; what lies beside a .gltf is read by `read_asset`. Raises MeshFileError with
    the file's name."""
    path = Path(path)
    try:
        content = read_regular(path, limits().mesh_file_bytes)
    except FileNotFoundError:
        raise MeshFileError(f"{path} does not exist.") from None
    except OSError as error:
        raise MeshFileError(f"{path} cannot be read: {reason(error)}.") from error
    return parse_mesh(content, path.name)


def parse_mesh(content: bytes, name: str, uv_set: int | None = None) -> Mesh:
    """A mesh from a file's bytes; the ending of `name` says which format. uv_set: of a glTF, None is the one that its
    materials use. Raises MeshFileError."""
    ending = Path(name).suffix.lower()
    reader = reader_of(ending)
    if reader is None:
        raise MeshFileError(f"{name}: meshes can be read from {', '.join(mesh_endings())}.")
    if not content:
        raise MeshFileError(f"{name} is empty.")
    made = guarded(lambda: reader.parse(content, name, uv_set), name)
    return replace(made, source_bytes=content, source_ending=ending)


def guarded(read: Callable[[], T], name: str) -> T:
    """What a reader gives; whatever else it raises becomes a MeshFileError that names the file."""
    try:
        with quiet_libraries():
            return read()
    except MeshFileError:
        raise
    except Exception as error:
        kind = Path(name).suffix[1:].upper()
        detail = told_by(error)
        raise MeshFileError(f"{name} is damaged or not a {kind} mesh{detail}. Export it again.") from error
