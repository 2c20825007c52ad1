"""The kinds of step, one file each. A file in this folder that defines KIND is a kind; nothing lists them by hand."""

from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.kind import StepKind
from evenpalette.core.registry import Registry

KINDS: Registry[StepKind] = Registry(__name__, __path__, "KIND")


def kind_of(key: str) -> StepKind:
    """The kind with this key. Raises RecipeError for one that this version does not know."""
    if key not in KINDS:
        raise RecipeError(f"This version has no kind of step called '{key}'.")
    return KINDS[key]
