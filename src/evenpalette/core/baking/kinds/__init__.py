"""The kinds of bake, one file each. A file in this folder that defines BAKE is a kind; nothing lists them by hand."""

from evenpalette.core.baking.kind import BakeKind
from evenpalette.core.errors import MeshFileError
from evenpalette.core.registry import Registry

BAKES: Registry[BakeKind] = Registry(__name__, __path__, "BAKE")


def bake_kind(key: str) -> BakeKind:
    """The kind with this key. Raises MeshFileError for one that this version does not know."""
    if key not in BAKES:
        raise MeshFileError(f"This version has no kind of bake called '{key[:40]}'.")
    return BAKES[key]
