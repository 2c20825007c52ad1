"""Variants that nobody can tell apart are found; those that differ where it is seen are not."""

import numpy as np
import pytest
from colour.difference import delta_E_CIE2000  # the published formula, by another hand

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.color.lab import linear_to_lab
from evenpalette.core.document.state import State
from evenpalette.core.edits import parameters, recipe, variants
from evenpalette.core.findings.findings import find_all
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.variants.perceptual_difference import Eye, alike


def _alike(state: State) -> list[str]:
    return [finding.text for finding in find_all(state) if finding.code == "same-variant"]


def test_two_flat_colors_are_as_far_apart_as_the_formula_says() -> None:
    state = recipe.add_step(State(), "replace", step_id="f")
    state = parameters.name_input(
        recipe.bind_input(state, "f", "keep_light", Binding(value=0.0)), "f", "color", "Color"
    )
    key = next(p.id for p in state.project.recipe.parameters if p.name == "Color")
    eye = Eye(state)
    for first, second in (("#804020", "#824422"), ("#204080", "#ff8800"), ("#777777", "#777777")):
        found = eye.apart(eye.look({key: first}), eye.look({key: second}))
        lab = [linear_to_lab(decode_srgb(np.array(parse_hex(color)) / 255.0)[None])[0] for color in (first, second)]
        assert found.units == pytest.approx(float(delta_E_CIE2000(*lab)), abs=0.02)
        assert found.whole == pytest.approx(found.units, abs=1e-3)


def test_a_small_region_or_a_finish_tells_variants_apart_and_a_hair_of_color_does_not(lantern: State) -> None:
    """The lantern's variants can all be told apart; a copy of one cannot, nor one with a color a code away."""
    assert _alike(lantern) == []
    first = lantern.project.variants[0]
    copied = variants.duplicate_variant(lantern, first.id)
    copy = copied.project.active_variant
    assert copy is not None
    assert _alike(copied) == ["Ember copy and Ember look the same"]
    eye = Eye(copied)
    others = [variant.id for variant in copied.project.variants if variant.id != first.id]
    near = eye.nearest(eye.look(copied.values(first.id)), [eye.look(copied.values(other)) for other in others])
    assert near is not None
    assert (others[near[0]], near[1].units) == (copy, 0.0)
    knot = next(p for p in copied.project.recipe.parameters if p.name == "Moth tint")
    red, green, blue = parse_hex(str(copied.values(first.id)[knot.id]))
    hair = variants.set_value(copied, copy, knot.id, f"#{red - 2:02x}{green:02x}{blue:02x}")
    assert "can hardly be told apart: they differ by CIEDE2000 0." in _alike(hair)[0]
    other = variants.set_value(copied, copy, knot.id, "#2040c0")
    assert _alike(other) == []
    assert [pair.second for pair in alike(copied, 60.0)].count(copy) >= 1
    rough = recipe.add_step(copied, "finish", (copied.region_ids[0],), step_id="rough")
    rough = parameters.name_input(rough, "rough", "roughness", "Gloss")
    gloss = next(p.id for p in rough.project.recipe.parameters if p.name == "Gloss")
    assert len(_alike(rough)) == 1
    for value, expected in ((0.05, 0), (float(rough.values(None)[gloss]) + 0.02, 1)):
        assert len(_alike(variants.set_value(rough, copy, gloss, value))) == expected


def test_hundreds_of_equal_variants_are_each_named_once(lantern: State) -> None:
    first = lantern.project.variants[0]
    many = tuple(first.model_copy(update={"id": f"copy-{n}", "name": f"Copy {n}"}) for n in range(260))
    found = alike(lantern.with_project(variants=(*lantern.project.variants, *many)))
    assert [(pair.first, pair.second) for pair in found] == [(first.id, variant.id) for variant in many]
