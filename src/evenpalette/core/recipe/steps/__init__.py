"""The kinds of step, one file each. A file in this folder that defines KIND is a kind; nothing lists them by hand."""

import pkgutil
from importlib import import_module

from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.kind import StepKind


def _discover() -> dict[str, StepKind]:
    found = [
        import_module(f"{__name__}.{module.name}").KIND
        for module in pkgutil.iter_modules(__path__)
        if not module.name.startswith("_")
    ]
    return {kind.key: kind for kind in sorted(found, key=lambda kind: (kind.order, kind.key))}


KINDS: dict[str, StepKind] = _discover()


def kind_of(key: str) -> StepKind:
    """The kind with this key. Raises RecipeError for one that this version does not know."""
    if key not in KINDS:
        raise RecipeError(f"This version has no kind of step called '{key}'.")
    return KINDS[key]
