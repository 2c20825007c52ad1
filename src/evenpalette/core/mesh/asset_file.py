"""A mesh file with what it brings along."""

from dataclasses import replace
from pathlib import Path

from evenpalette.core.consent import inside
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import MeshFileError
from evenpalette.core.files import read_regular, reason
from evenpalette.core.limits import limits
from evenpalette.core.mesh.file_sheets import FileSheet
from evenpalette.core.mesh.gltf_file import Beside, nothing_beside, open_gltf
from evenpalette.core.mesh.gltf_materials import sheets_of
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.mtl_materials import sheets_of as sheets_of_obj
from evenpalette.core.mesh.read import guarded, parse_mesh, read_mesh
from evenpalette.core.mesh.readers.gltf import mesh_of

#: Endings of files that bring textures along.
WITH_TEXTURES = (".glb", ".gltf", ".obj")


@dataclass(frozen=True)
class AssetFile:
    """A mesh, its sheets with their textures, and what was left out, in words."""

    mesh: Mesh
    sheets: tuple[FileSheet, ...] = ()
    notes: tuple[str, ...] = ()


def read_asset(path: Path | str) -> AssetFile:
    """Read a mesh file with its textures: those of a GLB, of a .gltf and the files beside it, and those that the
    materials of an OBJ name. Raises MeshFileError.

    Files beside it are read only from its own folder and below.
    """
    path = Path(path)
    if path.suffix.lower() not in WITH_TEXTURES:
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
    return read_mesh(path) if Path(path).suffix.lower() == ".obj" else read_asset(path).mesh


def _found_in(sheet: FileSheet, folder: Path) -> FileSheet:
    """A sheet whose textures say where their files are."""
    textures = (replace(t, source=str(folder / t.source)) if t.source else t for t in sheet.textures)
    return replace(sheet, textures=tuple(textures))


def parse_asset(content: bytes, name: str, beside: Beside = nothing_beside) -> AssetFile:
    """A GLB, .gltf or OBJ from its bytes. beside: reads the files that it names. Raises MeshFileError."""

    def read() -> AssetFile:
        if Path(name).suffix.lower() == ".obj":
            mesh = parse_mesh(content, name)
            sheets, notes = sheets_of_obj(content, mesh.group_names, beside)
            return AssetFile(mesh, tuple(sheets), tuple(notes))
        gltf = open_gltf(content, name, beside)
        mesh = mesh_of(gltf)
        sheets, notes = sheets_of(gltf, mesh.group_names)
        # A project keeps the mesh in one file, without the pictures, which are textures of it.
        kept = content if content[:4] == b"glTF" and not sheets else gltf.as_glb()
        return AssetFile(replace(mesh, source_bytes=kept, source_ending=".glb"), tuple(sheets), tuple(notes))

    return guarded(read, name)


def _content(path: Path) -> bytes:
    try:
        return read_regular(path, limits().mesh_file_bytes)
    except FileNotFoundError:
        raise MeshFileError(f"{path} does not exist.") from None
    except OSError as error:
        raise MeshFileError(f"{path} cannot be read: {reason(error)}.") from error
