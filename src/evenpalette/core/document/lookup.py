"""Things of a document by what people call them: a name in any case, or an id; errors say what there is."""

from collections.abc import Iterable

from evenpalette.core.document.project import Sheet
from evenpalette.core.document.state import State
from evenpalette.core.document.variant import Variant
from evenpalette.core.errors import ProjectError, RecipeError
from evenpalette.core.recipe.parameters import Parameter


def _missing(what: str, name: object, known: Iterable[str]) -> str:
    return f"There is no {what} called '{str(name)[:80]}'. There are: {', '.join(known) or 'none'}."


def variant_named(state: State, name: str) -> Variant:
    """A variant by its name or id. Raises RecipeError."""
    wanted, variants = str(name).lower(), state.project.variants
    found = next((v for v in variants if v.name.lower() == wanted), None) or next(
        (v for v in variants if v.id == name), None
    )
    if found is None:
        raise RecipeError(_missing("variant", name, (v.name for v in variants)))
    return found


def variant_ids(state: State, names: Iterable[str]) -> list[str]:
    """The ids of variants by name. Raises RecipeError for one that is not there."""
    return [variant_named(state, name).id for name in names]


def parameter_named(state: State, name: str) -> Parameter:
    """A parameter by its name or id. Raises RecipeError."""
    wanted, parameters = str(name).lower(), state.project.parameters
    found = next((p for p in parameters if p.name.lower() == wanted), None) or next(
        (p for p in parameters if p.id == name), None
    )
    if found is None:
        raise RecipeError(_missing("parameter", name, (p.name for p in parameters)))
    return found


def sheet_named(state: State, name: str) -> Sheet:
    """A sheet by its name or its number from 1; '' is the first. Raises ProjectError."""
    wanted, sheets = name.strip().lower(), state.project.sheets
    for number, sheet in enumerate(sheets, 1):
        if wanted in ("", sheet.name.lower(), str(number)):
            return sheet
    raise ProjectError(_missing("sheet", name, (sheet.name for sheet in sheets)))
