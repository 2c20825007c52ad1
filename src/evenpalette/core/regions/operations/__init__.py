"""The operations on a coverage, one file each. A file here that defines OPERATION is one; nothing lists them by
hand."""

from evenpalette.core.errors import RegionError
from evenpalette.core.regions.operation_kind import OperationKind
from evenpalette.core.registry import Registry

OPERATIONS: Registry[OperationKind] = Registry(__name__, __path__, "OPERATION")


def operation_kind(key: str) -> OperationKind:
    """The operation with this key. Raises RegionError for one that this version does not know."""
    if key not in OPERATIONS:
        raise RegionError(f"This version has no operation called '{key}'.")
    return OPERATIONS[key]
