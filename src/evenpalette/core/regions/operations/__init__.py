"""The operations on a coverage, one file each. A file here that defines OPERATION is one; nothing lists them by hand."""

import pkgutil
from importlib import import_module

from evenpalette.core.errors import RegionError
from evenpalette.core.regions.operation import OperationKind


def _discover() -> dict[str, OperationKind]:
    modules = [import_module(f"{__name__}.{module.name}") for module in pkgutil.iter_modules(__path__)]
    found = [module.OPERATION for module in modules]
    return {kind.key: kind for kind in sorted(found, key=lambda kind: (kind.order, kind.key))}


OPERATIONS: dict[str, OperationKind] = _discover()


def operation_kind(key: str) -> OperationKind:
    """The operation with this key. Raises RegionError for one that this version does not know."""
    if key not in OPERATIONS:
        raise RegionError(f"This version has no operation called '{key}'.")
    return OPERATIONS[key]
