"""Values as tables: out, edited by another program, back in; what is wrong is said by its cell."""

import csv
import io
import json

import pytest

from evenpalette.core.document.state import State
from evenpalette.core.edits.value_table import as_css, as_csv, as_json, take_table
from evenpalette.core.edits.variants import rename_variant
from evenpalette.core.errors import RecipeError


def test_a_table_goes_out_and_comes_back_and_an_edited_cell_is_a_value(lantern: State) -> None:
    state = rename_variant(lantern, lantern.project.variants[0].id, 'Ember, "bright"\nランタン'.replace("\n", " "))
    for text in (as_csv(state), as_json(state)):
        assert take_table(state, text).project == state.project
    rows = list(csv.reader(io.StringIO(as_csv(state))))
    column = rows[0].index("Paper tint")
    rows[2][column] = "#123456"
    rows.append(["New one", "", *([""] * (len(rows[0]) - 2))])
    rows[-1][column] = "#0a0b0c"
    stream = io.StringIO()
    csv.writer(stream).writerows(rows)
    changed = take_table(state, stream.getvalue())
    paper = next(p.id for p in state.project.parameters if p.name == "Paper tint")
    assert changed.project.variants[0].values[paper] == "#123456"
    assert (changed.project.variants[-1].name, changed.project.variants[-1].values) == ("New one", {paper: "#0a0b0c"})
    # An emptied cell follows the parent again.
    rows[2][column] = ""
    stream = io.StringIO()
    csv.writer(stream).writerows(rows)
    assert paper not in take_table(changed, stream.getvalue()).project.variants[0].values


def test_colors_go_out_as_css_variables(lantern: State) -> None:
    text = as_css(lantern)
    paper = next(p for p in lantern.project.parameters if p.name == "Paper tint")
    assert text.startswith(":root {\n")
    for variant in lantern.project.variants:
        name = variant.name.lower().replace(", ", "-").replace(" ", "-")
        block = text.split(f"\n.{name} {{\n")[1].split("}")[0]
        assert f"  --paper-tint: {lantern.values(variant.id)[paper.id]};" in block


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("Variant,Paper tint\nEmber,orange\n", "Row 2, column Paper tint"), ("Variant,Nothing\nEmber,1\n", "no parameter 'Nothing'"),
        ("Name,Paper tint\n", "first cell"), ("Variant\nEmber,1\n", "more cells"), ('{"variants": 3}', "no table"), ('{"x": ', "no table"),
        ('Variant,Paper tint\n"Ember', "cannot be read"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_by_its_cell_and_nothing_is_taken(lantern: State, text: str, said: str) -> None:
    with pytest.raises(RecipeError, match=said):
        take_table(lantern, text)
    assert json.loads(as_json(lantern))["variants"][0]["variant"] == "Ember"
