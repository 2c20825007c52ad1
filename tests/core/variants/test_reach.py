"""What a parameter reaches, and why one reaches nothing: a recipe for each reason."""

import numpy as np
import pytest

from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture
from evenpalette.core.edits.parameters import name_input
from evenpalette.core.edits.recipe import add_step, bind_input, update_step
from evenpalette.core.edits.regions import regions_from_channels
from evenpalette.core.edits.variants import add_variant, set_value
from evenpalette.core.findings.findings import find_all
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.recipe import Binding, Pulse
from evenpalette.core.values import ChannelRef
from evenpalette.core.variants.reach import Reach, reach_of

SIZE = 64


@pytest.fixture
def state() -> State:
    """Two halves, the left one tinted by a parameter; a black mask and a black base at hand."""
    mask = np.zeros((SIZE, SIZE, 3), np.uint8)
    mask[:, : SIZE // 2, 0] = mask[:, SIZE // 2 :, 1] = 255
    gray = np.full((SIZE, SIZE, 3), 150, np.uint8)
    made = add_texture(State(), Raster(gray, Encoding.SRGB), "painted.png", Role.PAINTED)
    made = add_texture(made, Raster(mask, Encoding.DATA), "mask.png", Role.CHANNEL_MASK)
    made = add_texture(made, Raster(np.zeros((SIZE, SIZE, 1), np.uint8), Encoding.DATA), "soot.png", Role.MASK)
    made = add_texture(made, Raster(np.zeros((SIZE, SIZE, 3), np.uint8), Encoding.SRGB), "black.png", Role.COLOR)
    made = regions_from_channels(made, made.project.asset.textures[1].id)
    made = made.with_project(recipe=made.project.recipe.model_copy(update={"base": made.project.asset.textures[0].id}))
    made = add_step(made, "tint", (made.region_ids[0],), step_id="tint")
    return named(made, "tint", "color")


def named(state: State, step: str, key: str) -> State:
    row = state.project.recipe.step(step).rows[0]
    return name_input(state, step, key, f"{step} {key}", row_id=row.id if key in row.inputs else None)


def reach(state: State, index: int = -1) -> Reach:
    return reach_of(state, state.project.recipe.parameters[index].id)


def test_reach_is_the_texels_that_change_and_by_how_much(state: State) -> None:
    found = reach(state)
    left = np.zeros((SIZE, SIZE), bool)
    left[:, : SIZE // 2] = True
    assert np.array_equal(found.change > 0.5 / 255, left)
    assert found.share == pytest.approx(0.5)
    assert list(found.by_region.values()) == [1.0, 0.0]
    # The most is what black leaves of a gray of 150.
    assert found.strongest == pytest.approx(150 / 255, abs=2 / 255)
    assert not found.reasons
    assert "50% of the surface" in found.words(state)


def test_each_reason_why_nothing_changes_is_named_with_its_place(state: State) -> None:
    first, second = state.region_ids[:2]
    soot, black = (texture.id for texture in state.project.asset.textures[2:4])
    row = state.project.recipe.step("tint").rows[0].id

    def reason(made: State, index: int = -1):  # type: ignore[no-untyped-def]
        found = reach(made, index)
        assert found.share == 0
        assert len(found.reasons) == 1
        return found.reasons[0]

    off = reason(update_step(state, "tint", enabled=False))
    assert (off.text, off.step) == ("Tint is switched off.", "tint")
    zero = reason(bind_input(state, "tint", "amount", Binding(value=0.0)))
    assert "amount of Tint is 0" in zero.text
    row_zero = reason(bind_input(state, "tint", "amount", Binding(value=0.0), row))
    assert "amount of its row" in row_zero.text
    covered = add_step(state, "fill", None, 1, step_id="fill")
    fill = covered.project.recipe.step("fill").rows[0]
    covered = bind_input(
        covered, "fill", "picture", Binding(value=black), fill.id if "picture" in fill.inputs else None
    )
    found = reason(covered, 0)
    assert (found.text, found.step) == ("Fill covers it.", "fill")
    dark = state.with_project(recipe=state.project.recipe.model_copy(update={"base": black}))
    assert "multiplies black" in reason(dark).text
    cover = add_step(state, "cover", (second,), 1, step_id="soot")
    cover = bind_input(cover, "soot", "mask", Binding(value=str(ChannelRef(soot, 0))))
    cover = named(cover, "soot", "color")
    masked = reason(cover)
    assert masked.text.startswith("The mask of")
    assert masked.step == "soot"
    empty = add_texture(
        state, Raster(np.zeros((SIZE, SIZE, 3), np.uint8), Encoding.DATA), "none.png", Role.CHANNEL_MASK
    )
    planes = {**state.coverages, first: np.zeros((SIZE, SIZE), np.uint8)}
    assert empty is not None
    nothing = reason(State(**{**vars_of(state), "coverages": planes}))
    assert "covers no texel" in nothing.text
    assert nothing.region == first
    # A grade that brings all to white cuts off what the tint does.
    graded = add_step(state, "levels", None, 1, step_id="up")
    graded = bind_input(graded, "up", "brightness", Binding(value=4.0), graded.project.recipe.step("up").rows[0].id)
    graded = add_step(graded, "levels", None, 0, step_id="base")
    loud = graded.project.recipe.step("base").rows[0].id
    graded = bind_input(
        bind_input(graded, "base", "brightness", Binding(value=4.0), loud), "base", "black", Binding(value=0.0), loud
    )
    bright = named(graded, "up", "brightness")
    assert reach(bright).share > 0, "down to 0 it does change"
    free = name_input(state, "tint", "color", "another", row_id=row)
    unused = free.project.recipe.parameters[0].id
    loose = reach_of(free, unused)
    assert [r.text for r in loose.reasons] == ["No step uses it."]


def vars_of(state: State) -> dict[str, object]:
    return {key: getattr(state, key) for key in ("project", "mesh", "textures", "made", "tone", "resting")}


def test_a_parameter_that_changes_nothing_in_any_variant_is_a_finding(state: State) -> None:
    assert "unseen-parameter" not in {finding.code for finding in find_all(state)}
    black = state.project.asset.textures[3].id
    covered = add_step(state, "fill", None, 1, step_id="fill")
    fill = covered.project.recipe.step("fill").rows[0]
    covered = bind_input(
        covered, "fill", "picture", Binding(value=black), fill.id if "picture" in fill.inputs else None
    )
    found = next(finding for finding in find_all(covered) if finding.code == "unseen-parameter")
    assert found.text == "tint color changes nothing in any variant. Fill covers it."
    assert found.subject == "fill"
    # A variant in which the fill is not there makes it a parameter of use.
    open_ = name_input(covered, "fill", "amount", "Fill amount")
    made = add_variant(open_, "Bare")
    made = set_value(made, made.project.active_variant, made.project.recipe.parameters[-1].id, 0.0)
    assert "unseen-parameter" not in {finding.code for finding in find_all(made)}


def test_what_pulses_is_looked_at_when_it_is_on(state: State) -> None:
    pulsing = bind_input(state, "tint", "amount", Binding(pulse=Pulse(low=0.0, high=1.0, period=3.0)))
    found = reach(pulsing)
    assert found.share == pytest.approx(0.5)
    assert not found.reasons


def test_what_is_beyond_white_already_is_said_to_be_cut_off(state: State) -> None:
    """Brightness from 3 up on what is white already."""
    made = add_step(state, "levels", None, 1, step_id="up")
    row = made.project.recipe.step("up").rows[0].id
    made = bind_input(made, "up", "brightness", Binding(value=3.6), row)
    made = named(made, "up", "brightness")
    parameter = made.project.recipe.parameters[-1]
    parameters = (*made.project.recipe.parameters[:-1], parameter.model_copy(update={"low": 3.5, "default": 3.6}))
    made = made.with_project(recipe=made.project.recipe.model_copy(update={"parameters": parameters}))
    gray = {
        **made.textures,
        made.project.asset.textures[0].id: Raster(np.full((SIZE, SIZE, 3), 200, np.uint8), Encoding.SRGB),
    }
    found = reach_of(State(**{**vars_of(made), "textures": gray, "coverages": made.coverages}), parameter.id)
    assert "cut off" in found.reasons[0].text
    assert found.reasons[0].step == "up"
