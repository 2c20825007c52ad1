"""Finding what a package has one file each of: kinds of steps, operations on coverages."""

import pkgutil
from importlib import import_module
from typing import Any


def found_in(package: str, paths: Any, name: str) -> dict[str, Any]:
    """What every module of a package defines under this name, by its key, in its order. Modules with a leading
    underscore are helpers."""
    modules = [
        import_module(f"{package}.{module.name}") for module in pkgutil.iter_modules(paths) if module.name[0] != "_"
    ]
    found = [getattr(module, name) for module in modules]
    return {kind.key: kind for kind in sorted(found, key=lambda kind: (kind.order, kind.key))}
