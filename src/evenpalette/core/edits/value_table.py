"""All variants' values as a table for people: CSV for a spreadsheet, JSON for a script; taken back in, cell by cell."""

import csv
import io
import json
from collections.abc import Mapping

from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import add_variant, find_variant, reset_value, set_value
from evenpalette.core.errors import EvenPaletteError, RecipeError
from evenpalette.core.files import safe_name, unique_names
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import Value, ValueType, parse_value, value_text

#: The head of the first columns; the row of the defaults.
VARIANT, FOLLOWS, DEFAULTS = "Variant", "Follows", "Defaults"
FORMAT = "even-palette-values"
_LONGEST = 8 << 20


def as_csv(state: State) -> str:
    """A row for the defaults and for each variant, a column for each parameter; what a variant does not say itself is
    empty."""
    stream = io.StringIO()
    made = csv.writer(stream, lineterminator="\n")
    parameters = state.project.parameters
    made.writerow([VARIANT, FOLLOWS, *(p.name for p in parameters)])
    made.writerow([DEFAULTS, "", *(value_text(p.default) for p in parameters)])
    for variant in state.project.variants:
        parent = find_variant(state, variant.parent)
        own = [value_text(variant.values[p.id]) if p.id in variant.values else "" for p in parameters]
        made.writerow([variant.name, parent.name if parent is not None else "", *own])
    return stream.getvalue()


def as_json(state: State) -> str:
    """The same as objects."""
    parameters = state.project.parameters
    rows = [
        {"variant": v.name, "follows": parent.name if (parent := find_variant(state, v.parent)) else None, "values": {p.name: v.values[p.id] for p in parameters if p.id in v.values}}
        for v in state.project.variants
    ]  # fmt: skip
    return json.dumps({"format": FORMAT, "version": 1, "variants": rows}, indent=2, ensure_ascii=False) + "\n"


def as_css(state: State) -> str:
    """The colors of all variants as CSS variables: those of the defaults at the root, those of a variant under a class
    of its name."""
    colors = [p for p in state.project.parameters if p.type is ValueType.COLOR]

    def block(selector: str, values: Mapping[str, Value]) -> str:
        lines = "".join(f"  --{safe_name(p.name)}: {values[p.id]};\n" for p in colors)
        return f"{selector} {{\n{lines}}}\n"

    names = unique_names([v.name for v in state.project.variants])
    blocks = [block(f".{name}", state.values(v.id)) for name, v in zip(names, state.project.variants, strict=True)]
    return "".join([block(":root", state.values(None)), *blocks])


def take_table(state: State, text: str) -> State:
    """Values of a table taken in, CSV or JSON: variants are found by name, new ones are added; an empty cell follows
    the parent; columns and rows that are not there stay as they are. The row of defaults is not taken. Raises
    RecipeError with the cell and the reason; then nothing is taken."""
    if len(text) > _LONGEST:
        raise RecipeError("The table is too long.")
    rows = _rows_of_json(text) if text.lstrip().startswith("{") else _rows_of_csv(text)
    by_name = {p.name.lower(): p for p in state.project.parameters}
    for where, name, cells in rows:
        if not name or name == DEFAULTS:
            continue
        found = next((v for v in state.project.variants if v.name.lower() == name.lower()), None)
        if found is None:
            state = add_variant(state, name[:80])
            key = state.project.variants[-1].id
        else:
            key = found.id
        for column, given in cells.items():
            parameter = by_name.get(column.lower())
            if parameter is None:
                raise RecipeError(
                    f"{where}: there is no parameter '{column[:60]}'. There are: {', '.join(p.name for p in state.project.parameters)}."
                )
            if given is None or given == "":
                if find_variant(state, key) is not None and parameter.id in _own(state, key):
                    state = reset_value(state, key, parameter.id)
                continue
            value = _accepted(parameter, given, f"{where}, column {column}")
            if _own(state, key).get(parameter.id) != value:
                state = set_value(state, key, parameter.id, value)
    return state


def _own(state: State, key: str) -> dict[str, Value]:
    variant = find_variant(state, key)
    return dict(variant.values) if variant is not None else {}


def _accepted(parameter: Parameter, given: object, where: str) -> Value:
    try:
        bare = parameter.is_number
        value = parse_value(given, parameter.type, "" if bare else parameter.unit) if isinstance(given, str) else given
        return parameter.accept(value)  # type: ignore[arg-type]
    except EvenPaletteError as error:
        raise RecipeError(f"{where}: {error}") from error


Row = tuple[str, str, dict[str, object]]


def _rows_of_csv(text: str) -> list[Row]:
    try:
        rows = list(csv.reader(io.StringIO(text), strict=True))
    except csv.Error as error:
        raise RecipeError(f"The table cannot be read: {error}.") from error
    if not rows or not rows[0] or rows[0][0] != VARIANT:
        raise RecipeError(f"The table's first cell is '{VARIANT}', as tables that are saved here have it.")
    head = rows[0][1:]
    made = []
    for number, row in enumerate(rows[1:], 2):
        if not any(row):
            continue
        if len(row) > len(rows[0]):
            raise RecipeError(f"Row {number}: there are more cells than columns.")
        cells: dict[str, object] = {
            name: cell.strip() for name, cell in zip(head, row[1:], strict=False) if name != FOLLOWS
        }
        made.append((f"Row {number}", row[0].strip(), cells))
    return made


def _rows_of_json(text: str) -> list[Row]:
    try:
        raw = json.loads(text)
        return [
            (f"Variant {number}", str(entry["variant"]), dict(entry["values"]))
            for number, entry in enumerate(raw["variants"], 1)
        ]
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise RecipeError(f"This is no table of values: {str(error)[:80]}.") from error
