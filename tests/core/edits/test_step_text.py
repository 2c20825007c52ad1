"""Steps copied as text and pasted elsewhere."""

import json

import numpy as np
import pytest

from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture
from evenpalette.core.edits.regions import regions_from_channels
from evenpalette.core.edits.step_text import paste_steps, steps_as_text
from evenpalette.core.errors import RecipeError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.storage.storage import Storage


def test_what_is_copied_and_pasted_into_the_same_project_makes_the_same_again(lantern: State) -> None:
    steps = lantern.project.recipe.steps
    text = steps_as_text(lantern, [step.id for step in steps])
    bare = lantern.with_project(recipe=lantern.project.recipe.model_copy(update={"steps": ()}))
    again, missing = paste_steps(bare, text)
    assert missing == []
    assert not {s.id for s in again.project.recipe.steps} & {s.id for s in steps}
    assert again.project.recipe.parameters == lantern.project.recipe.parameters, "found by name, not added"
    size = (128, 128)
    first, second = (evaluate(s.bound_steps(None), s.sources.at_size(*size)).pixels for s in (lantern, again))
    assert np.array_equal(first, second)


def test_pasted_elsewhere_names_are_found_and_what_is_not_there_is_said(lantern: State, tmp_path) -> None:  # type: ignore[no-untyped-def]
    steps = lantern.project.recipe.steps
    cover = next(step for step in steps if step.kind == "cover")
    text = steps_as_text(lantern, [steps[0].id, cover.id])
    mask = np.zeros((32, 32, 3), np.uint8)
    mask[:16, :, 0] = mask[16:, :, 1] = 255
    other = add_texture(State(), Raster(mask, Encoding.DATA), "mask.png", Role.CHANNEL_MASK)
    other = regions_from_channels(other, other.project.asset.textures[0].id)
    first = other.project.regions.regions[0]
    other = other.with_project(regions=other.project.regions.with_regions(
        r.model_copy(update={"name": "Paper"}) if r.id == first.id else r for r in other.project.regions.regions
    ))  # fmt: skip
    made, missing = paste_steps(other, text, 0)
    tint = made.project.recipe.steps[0]
    assert tint.rows[0].regions == (first.id,)
    assert all(row.regions == () for row in tint.rows[1:] if row.regions is not None)
    assert "region Frame" in missing
    assert any(entry.startswith("texture ") for entry in missing)
    assert {p.name for p in made.project.recipe.parameters} >= {"Paper tint"}
    # What came out is a project that opens.
    Storage(tmp_path / "p").save(made)
    assert len(Storage(tmp_path / "p").open().project.recipe.steps) == 2


@pytest.mark.parametrize(
    "text", ["", "[]", "{", "hello", '{"format": "even-palette-steps", "version": 1}', "[" * 100_000]
)
def test_what_is_no_steps_is_said(lantern: State, text: str) -> None:
    with pytest.raises(RecipeError):
        paste_steps(lantern, text)


def test_a_newer_version_and_kinds_that_are_not_known_are_refused(lantern: State) -> None:
    raw = json.loads(steps_as_text(lantern, [lantern.project.recipe.steps[0].id]))
    with pytest.raises(RecipeError, match="newer version"):
        paste_steps(lantern, json.dumps(raw | {"version": 3}))
    raw["steps"][0]["kind"] = "conjure"
    with pytest.raises(RecipeError, match="cannot be read"):
        paste_steps(lantern, json.dumps(raw))
    assert "conjure" not in KINDS
