"""What the matrix does to many values, reviews taken from text, copies kept as variants."""

from dataclasses import replace as changed
from pathlib import Path

import numpy as np
import pytest

from evenpalette.core.document.crowd import Crowd
from evenpalette.core.document.state import State
from evenpalette.core.edits.crowd import change_crowd, equal_number, keep_copy, laid_of, move_copy, picked_words, picks
from evenpalette.core.edits.many_values import (
    colors_in,
    fill_between,
    lock_parameter,
    paste_colors,
    reset_many,
    set_many,
)
from evenpalette.core.edits.marks import mark_variants, marks_as_text, take_marks
from evenpalette.core.edits.parameters import remove_parameter
from evenpalette.core.edits.step_text import paste_steps, steps_as_text
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.recipe.binding import Moment
from evenpalette.core.recipe.evaluate import evaluate_surface
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage
from evenpalette.core.variants.small_surface import small_sources


@pytest.fixture(scope="module")
def pennant(tmp_path_factory: pytest.TempPathFactory) -> State:
    return Storage(copy_demo(tmp_path_factory.mktemp("market") / "m", "pennant")).open()


def test_many_values_are_set_reset_and_locked_as_one_change(lantern: State) -> None:
    ids = [v.id for v in lantern.project.variants]
    paper, frame = (p.id for p in lantern.project.parameters[:2])
    state = set_many(lantern, {(v, paper): "#112233" for v in ids[:5]} | {(None, frame): "#445566"})
    assert [state.values(v)[paper] for v in ids[:5]] == ["#112233"] * 5
    assert state.values(None)[frame] == "#445566"
    locked = lock_parameter(state, paper)
    both = set_many(locked, {(ids[0], paper): "#ffffff", (ids[0], frame): "#ffffff"})
    assert (both.values(ids[0])[paper], both.values(ids[0])[frame]) == ("#112233", "#ffffff")
    for refused in (
        lambda: set_many(locked, {(ids[0], paper): "#ffffff"}),
        lambda: reset_many(locked, [(ids[0], paper)]),
    ):
        with pytest.raises(EvenPaletteError, match="locked"):
            refused()
    free = lock_parameter(locked, paper, False)
    again = reset_many(free, [(v, paper) for v in ids[:5]])
    assert all(paper not in v.values for v in again.project.variants[:5])
    with pytest.raises(EvenPaletteError):
        set_many(lantern, {(ids[0], paper): "no color"})
    assert lock_parameter(remove_parameter(locked, paper), frame).project.locked == (frame,)


def test_colors_are_found_in_text_and_laid_onto_a_variant(lantern: State) -> None:
    text = "--paper: #D8693C; rgb(16, 32, 48) and #abc\n112233\nThe year 2026 is no color, nor is decade."
    assert colors_in(text) == ["#d8693c", "#102030", "#aabbcc", "#112233"]
    variant = lantern.project.variants[2].id
    first, second, third, fourth = (p.id for p in lantern.project.parameters[:4])
    state = paste_colors(lock_parameter(lantern, second), variant, ["#010101", "#020202"], first)
    assert [state.values(variant)[key] for key in (first, third)] == ["#010101", "#020202"]
    assert state.values(variant)[second] == lantern.values(variant)[second]
    assert paste_colors(lantern, variant, ["#030303"] * 40, fourth).values(variant)[fourth] == "#030303"
    with pytest.raises(EvenPaletteError, match="no colors"):
        paste_colors(lantern, variant, [], first)


def test_a_gap_is_filled_behind_the_first(lantern: State) -> None:
    ember, straw = lantern.project.variants[0], lantern.project.variants[4]
    state = fill_between(lantern, ember.id, straw.id, 3)
    names = [v.name for v in state.project.variants[:4]]
    assert names == ["Ember", "Ember to Straw 1", "Ember to Straw 2", "Ember to Straw 3"]
    key = lantern.project.parameters[0].id
    values = [str(state.values(v.id)[key]) for v in state.project.variants[:4]] + [str(state.values(straw.id)[key])]
    assert len(set(values)) == 5
    with pytest.raises(EvenPaletteError, match="two variants"):
        fill_between(lantern, ember.id, ember.id, 2)


def test_a_review_is_copied_out_and_taken_back(lantern: State) -> None:
    ids = [v.id for v in lantern.project.variants]
    marked = mark_variants(mark_variants(lantern, {ids[0]}, "keep", "the red, is right"), {ids[3]}, "drop")
    text = marks_as_text(marked)
    assert text.splitlines() == [
        "Even Palette review: Moth Lantern",
        "Ember: keep, the red, is right",
        "Plum Rain: drop",
    ]
    page = text + "\nHarbour Night, old: change, darker: by far\nNobody: keep\nStraw: what a straw"
    state, count, missing = take_marks(lantern, page)
    said = {v.name: (v.mark, v.note) for v in state.project.variants if v.mark or v.note}
    assert said == {
        "Ember": ("keep", "the red, is right"), "Plum Rain": ("drop", ""), "Harbour Night, old": ("change", "darker: by far"),
        "Straw": ("", "what a straw"),
    }  # fmt: skip
    assert count == 4
    assert missing == ["'Nobody: keep' names no variant (line 5)"]
    for nothing in ("", "some text", "Even Palette review: X\nNobody: keep"):
        with pytest.raises(EvenPaletteError, match="review"):
            take_marks(lantern, nothing)


def test_a_kept_copy_looks_the_same_at_every_number(pennant: State) -> None:
    """Evaluated texel by texel: as the copy did, whatever number the game gives the new variant's copies."""
    assert list(picks(pennant))
    small, _ = small_sources(pennant, 48)

    def shown(state: State, variant: str | None, copy: int) -> np.ndarray:
        made = evaluate_surface(state.bound_steps(variant, Moment(copy)), small, [BASE_COLOR], float_output=True)
        return np.asarray(made[BASE_COLOR].pixels)

    first = pennant.project.variants[0].id
    state = keep_copy(pennant, first, 17)
    kept = state.project.active_variant
    truth = shown(pennant, first, 17)
    assert not np.array_equal(truth, shown(pennant, first, 3))
    for copy in (0, 3, 99):
        assert np.array_equal(shown(state, kept, copy), truth)
    # All others still go by their copy's number.
    assert np.array_equal(shown(state, first, 3), shown(pennant, first, 3))
    words = picked_words(state, kept, 3)
    assert words == picked_words(pennant, first, 17)
    again = keep_copy(state, first, 5)
    assert len(again.project.parameters) == len(state.project.parameters)
    # Without the parameter picks are as before; steps that are copied elsewhere take no pin along.
    pin = next(pick.pin for *_, pick in picks(state))
    assert pin is not None
    assert all(pick.pin is None for *_, pick in picks(remove_parameter(state, pin)))
    text = steps_as_text(state, [step.id for step in state.project.recipe.steps])
    pasted, _ = paste_steps(pennant, text)
    assert all(pick.pin is None for *_, pick in picks(pasted))
    large = 3_000_000_000
    small_number = equal_number(pennant, large)
    assert small_number < 1 << 24
    apart = np.abs(shown(pennant, first, large) - shown(pennant, first, small_number)).max()
    assert apart < 0.02


def test_the_crowd_is_a_part_of_the_project(lantern: State, tmp_path: Path) -> None:
    ids = [v.id for v in lantern.project.variants]
    state = change_crowd(lantern, count=200, laid="grid", rule="share", shares={ids[0]: 0.0, ids[1]: 100.0})
    state = move_copy(state, 7, 3.5, -2.0)
    Storage(tmp_path / "p").save(state)
    again = Storage(tmp_path / "p").open()
    assert again.project.crowd == state.project.crowd
    laid = laid_of(again, 2.0)
    made = laid.copies()
    assert tuple(made["place"][7]) == (7.0, -4.0)
    assert 1 not in made["row"]
    assert (made["row"] == 2).mean() > 0.4
    for parts in ({"count": 0}, {"laid": "heap"}, {"spacing": 99}):
        with pytest.raises(EvenPaletteError, match="crowd"):
            change_crowd(lantern, **parts)
    with pytest.raises(EvenPaletteError, match="Nothing differs from copy to copy"):
        keep_copy(lantern, ids[0], 3)
    assert changed(laid, count=3).copies()["number"].tolist() == [0, 1, 2]
    assert Crowd().count == 60
