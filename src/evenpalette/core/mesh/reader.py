"""What every reader of mesh files says about itself."""

from collections.abc import Callable

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import MeshFileError
from evenpalette.core.mesh.file_sheets import FileSheet
from evenpalette.core.mesh.mesh import Mesh

#: Reads a file that lies beside a mesh file, by its relative name. Raises MeshFileError.
Beside = Callable[[str], bytes]


def nothing_beside(name: str) -> bytes:
    """For files that come alone."""
    raise MeshFileError(
        f"It needs the file {name[:80]}, which is not beside it. Bring in the .gltf from its folder, or a GLB."
    )


@dataclass(frozen=True)
class AssetFile:
    """A mesh, its sheets with their textures, and what was left out, in words."""

    mesh: Mesh
    sheets: tuple[FileSheet, ...] = ()
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class MeshReader:
    """A format. A file in `mesh/readers` that defines READER is one.

    endings: of its files, in lower case. parse: a mesh from a file's bytes, its name (for messages), and the UV set
    that is wanted: None is the one that its materials use. bring: of formats that bring textures along, all that a file
    has, of its bytes, its name and what reads files beside it; the mesh with the bytes that a project keeps of it.
    is_spread: whether parts of the mesh itself may lie in files beside it. Both may raise anything: what is no
    MeshFileError becomes one.
    """

    key: str
    endings: tuple[str, ...]
    parse: Callable[[bytes, str, int | None], Mesh]
    order: int = 100
    bring: Callable[[bytes, str, Beside], AssetFile] | None = None
    is_spread: bool = False


def text_of(content: bytes) -> str:
    """The text of a file that does not say how its letters are stored."""
    try:
        return content.decode("utf-8")
    except UnicodeDecodeError:
        return content.decode("latin-1")
