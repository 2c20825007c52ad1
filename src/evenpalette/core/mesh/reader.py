"""What every reader of mesh files says about itself."""

from collections.abc import Callable

from evenpalette.core.dataclass import dataclass
from evenpalette.core.mesh.mesh import Mesh


@dataclass(frozen=True)
class MeshReader:
    """A format. A file in `mesh/readers` that defines READER is one.

    endings: of its files, in lower case. parse: a mesh from a file's bytes, its name (for messages), and the UV set
    that is wanted: None is the one that its materials use. May raise anything: what is no MeshFileError becomes one.
    """

    key: str
    endings: tuple[str, ...]
    parse: Callable[[bytes, str, int | None], Mesh]
    order: int = 100


def text_of(content: bytes) -> str:
    """The text of a file that does not say how its letters are stored."""
    try:
        return content.decode("utf-8")
    except UnicodeDecodeError:
        return content.decode("latin-1")
