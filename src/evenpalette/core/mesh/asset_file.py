"""A mesh file with what it brings along."""

from dataclasses import replace
from pathlib import Path

from evenpalette.core.consent import inside
from evenpalette.core.errors import MeshFileError
from evenpalette.core.files import read_regular, reason
from evenpalette.core.limits import limits
from evenpalette.core.mesh.file_sheets import FileSheet
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.read import guarded, parse_mesh, read_mesh
from evenpalette.core.mesh.reader import AssetFile, Beside, nothing_beside
from evenpalette.core.mesh.readers import reader_of


def brings_textures(path: Path) -> bool:
    """Whether files of this format can bring textures along."""
    reader = reader_of(path.suffix.lower())
    return reader is not None and reader.bring is not None


def read_asset(path: Path | str) -> AssetFile:
    """Read a mesh file with its textures: those of a GLB, of a .gltf and the files beside it, and those that the
    materials of an OBJ name. Raises MeshFileError.

    Files beside it are read only from its own folder and below.
    """
    path = Path(path)
    if not brings_textures(path):
        return AssetFile(read_mesh(path))
    content = _content(path)

    def beside(name: str) -> bytes:
        parts = Path(name).parts
        if not parts or Path(name).is_absolute() or ".." in parts or ":" in name:
            raise MeshFileError(f"{path.name} names the file '{name[:80]}', which is not in its own folder.")
        if not inside(path.parent)(str(path.parent / name)):
            raise MeshFileError(
                f"{path.name} names the file '{name[:80]}', and a link there leads out of its own folder."
            )
        return _content(path.parent / name)

    file = parse_asset(content, path.name, beside)
    return replace(file, sheets=tuple(_found_in(sheet, path.parent) for sheet in file.sheets))


def read_asset_mesh(path: Path | str) -> Mesh:
    """The mesh of a file alone, as a project keeps it; pictures are read only where they lie in the same file. Raises
    MeshFileError."""
    reader = reader_of(Path(path).suffix.lower())
    return read_asset(path).mesh if reader is not None and reader.is_spread else read_mesh(path)


def _found_in(sheet: FileSheet, folder: Path) -> FileSheet:
    """A sheet whose textures say where their files are."""
    textures = (replace(t, source=str(folder / t.source)) if t.source else t for t in sheet.textures)
    return replace(sheet, textures=tuple(textures))


def parse_asset(content: bytes, name: str, beside: Beside = nothing_beside) -> AssetFile:
    """A mesh file with what it brings along, from its bytes. beside: reads the files that it names. Raises
    MeshFileError."""
    reader = reader_of(Path(name).suffix.lower())
    if reader is None or reader.bring is None or not content:
        return AssetFile(parse_mesh(content, name))
    bring = reader.bring
    return guarded(lambda: bring(content, name, beside), name)


def _content(path: Path) -> bytes:
    try:
        return read_regular(path, limits().mesh_file_bytes)
    except FileNotFoundError:
        raise MeshFileError(f"{path} does not exist.") from None
    except OSError as error:
        raise MeshFileError(f"{path} cannot be read: {reason(error)}.") from error
