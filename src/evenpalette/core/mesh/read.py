"""Reading mesh files, by their ending and checked by their content."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TypeVar

from evenpalette.core.errors import MeshFileError
from evenpalette.core.files import read_regular, reason
from evenpalette.core.limits import limits
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.read_glb import parse_glb
from evenpalette.core.mesh.read_obj import parse_obj
from evenpalette.core.mesh.read_ply import parse_ply
from evenpalette.core.quiet import quiet_libraries

T = TypeVar("T")
_PARSERS: dict[str, Callable[[bytes, str], Mesh]] = {
    ".obj": parse_obj,
    ".ply": parse_ply,
    ".glb": parse_glb,
    ".gltf": parse_glb,
}
#: File endings that the window offers to open.
MESH_ENDINGS = tuple(_PARSERS)


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
    parser = _PARSERS.get(ending)
    if parser is None:
        raise MeshFileError(f"{name}: meshes can be read from {', '.join(MESH_ENDINGS)}.")
    if not content:
        raise MeshFileError(f"{name} is empty.")
    if uv_set is not None and ending in (".glb", ".gltf"):
        return replace(
            guarded(lambda: parse_glb(content, name, uv_set), name), source_bytes=content, source_ending=ending
        )
    return replace(guarded(lambda: parser(content, name), name), source_bytes=content, source_ending=ending)


def guarded(read: Callable[[], T], name: str) -> T:
    """What a reader gives; whatever else it raises becomes a MeshFileError that names the file."""
    try:
        with quiet_libraries():
            return read()
    except MeshFileError:
        raise
    except Exception as error:
        detail = (str(error).splitlines() or [type(error).__name__])[0][:120]
        kind = Path(name).suffix[1:].upper()
        raise MeshFileError(f"{name} is damaged or not a {kind} mesh ({detail}).") from error
