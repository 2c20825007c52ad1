"""The formats of meshes that are read, one file each. A file here that defines READER is one; nothing lists them by
hand."""

from evenpalette.core.mesh.reader import MeshReader
from evenpalette.core.registry import Registry

READERS: Registry[MeshReader] = Registry(__name__, __path__, "READER")


def reader_of(ending: str) -> MeshReader | None:
    """The reader of files with this ending."""
    return next((reader for reader in READERS.values() if ending in reader.endings), None)


def mesh_endings() -> tuple[str, ...]:
    """Endings of all files that can be read."""
    return tuple(ending for reader in READERS.values() for ending in reader.endings)
