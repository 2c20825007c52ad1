"""The kinds of step, one file each. A file in this folder that defines KIND is a kind; nothing lists them by hand."""

from functools import cache

from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.kind import StepKind
from evenpalette.core.registry import Registry

KINDS: Registry[StepKind] = Registry(__name__, __path__, "KIND")


def known_kind(key: str) -> StepKind:
    """The kind with this key. Raises RecipeError for one that is not installed."""
    if key not in KINDS:
        raise RecipeError(f"There is no kind of step called '{key}' here.")
    return KINDS[key]


def kind_of(key: str) -> StepKind:
    """The kind with this key; for one that is not installed a stand-in that does nothing and has no inputs, so that a
    project which uses it opens and keeps it as it is."""
    return KINDS[key] if key in KINDS else _absent(key)


@cache
def _absent(key: str) -> StepKind:
    return StepKind(key, f"{key} (not installed)", "A kind of step that is not installed here", (), (), "", "", ())
