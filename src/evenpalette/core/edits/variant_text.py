"""A variant as text: what the page of a kit copies, and what is pasted here. A line a value, by the uniform's name."""

from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import add_variant, set_value
from evenpalette.core.errors import EvenPaletteError, RecipeError
from evenpalette.core.recipe.parameters import parameter_uniform_names
from evenpalette.core.values import parse_value, value_text

#: What the first line begins with; the name follows.
HEAD = "Even Palette variant:"
#: Text longer than this is nobody's variant.
_LONGEST = 1 << 18


def variant_as_text(state: State, variant_id: str | None) -> str:
    """Every value of a variant; None is the defaults."""
    names = parameter_uniform_names(state.project.parameters)
    values = state.values(variant_id)
    name = next((v.name for v in state.project.variants if v.id == variant_id), state.project.name)
    lines = [f"{names[p.id]}: {value_text(values[p.id])}" for p in state.project.parameters]
    return "\n".join([f"{HEAD} {name}", *lines])


def paste_variant(state: State, text: str) -> tuple[State, list[str]]:
    """A variant of a text added, and made the active one; and the lines that fit no parameter, in words. Values that
    are the defaults are left to them. Raises RecipeError for text that is no variant."""
    lines = [line.strip() for line in text[:_LONGEST].strip().splitlines() if line.strip()]
    if not lines or not lines[0].startswith(HEAD):
        raise RecipeError(f"This is no variant: its text begins with '{HEAD}'. The page of a kit copies such text.")
    by_name = {name: id for id, name in parameter_uniform_names(state.project.parameters).items()}
    defaults = {p.id: p for p in state.project.parameters}
    missing: list[str] = []
    state = add_variant(state, lines[0].removeprefix(HEAD).strip()[:80])
    for number, line in enumerate(lines[1:], 2):
        name, colon, given = (part.strip() for part in line.partition(":"))
        parameter = defaults.get(by_name.get(name, ""))
        if not colon or parameter is None:
            missing.append(f"'{name[:40]}' is no parameter (line {number})")
            continue
        try:
            bare = parameter.is_number
            value = parameter.accept(parse_value(given, parameter.type, "" if bare else parameter.unit))
        except EvenPaletteError as error:
            missing.append(f"{str(error).rstrip('.')} (line {number})")
            continue
        if value != parameter.default:
            state = set_value(state, state.project.active_variant, parameter.id, value)
    return state, missing
