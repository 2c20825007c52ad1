"""The document as the window sees it: what changed, edits off the thread, history, cancel."""

import threading
from dataclasses import replace

import numpy as np

from evenpalette.app.facets import ACTIVE, COVERAGES, EVERYTHING, NAME, RECIPE, REGIONS, VALUES, VARIANTS, difference
from evenpalette.core.document.state import State
from evenpalette.core.edits import recipe, variants
from evenpalette.core.edits.asset import rename_project
from evenpalette.core.edits.bakes import add_bake, make_bake, with_made, with_seen
from evenpalette.core.edits.regions import remove_region, update_region
from evenpalette.core.errors import Cancelled
from evenpalette.core.recipe.recipe import Binding
from tests.helpers.hand import Hand


def test_each_edit_is_told_by_the_facets_that_it_changed(lantern: State) -> None:
    step = lantern.project.recipe.steps[0]
    region, variant = lantern.region_ids[0], lantern.project.variants[0]
    parameter = lantern.project.parameters[0]
    cases = {
        frozenset({NAME}): rename_project(lantern, "Other"),
        frozenset({REGIONS}): update_region(lantern, region, name="Other"),
        frozenset({VARIANTS}): variants.rename_variant(lantern, variant.id, "Other"),
        frozenset({VALUES}): variants.set_value(lantern, variant.id, parameter.id, "#123456"),
        frozenset({ACTIVE}): variants.activate(lantern, lantern.project.variants[-1].id),
        frozenset({RECIPE}): recipe.update_step(lantern, step.id, name="Other"),
        frozenset(): replace(lantern),
    }  # fmt: skip
    for facets, after in cases.items():
        assert difference(lantern, after) == facets, facets
        assert difference(after, lantern) == facets
    fewer = difference(lantern, remove_region(lantern, region))
    assert {REGIONS, COVERAGES, RECIPE} <= fewer
    assert difference(State(), lantern) <= EVERYTHING
    constant = recipe.bind_input(lantern, step.id, "amount", Binding(value=0.5))
    assert difference(lantern, constant) == {VALUES}


def test_history_goes_back_and_forth_and_joins_what_belongs_together(hand: Hand) -> None:
    session = hand.session
    before, states = session.state, [session.state]
    for name in ("A", "B", "C"):
        session.apply(f"Rename to {name}", lambda s, n=name: rename_project(s, n))
        states.append(session.state)
    for name in ("D", "E", "F"):
        session.apply("Rename", lambda s, n=name: rename_project(s, n), "typing")
    assert session.state.project.name == "F"
    session.undo()
    assert session.state is states[3]
    session.undo()
    session.undo()
    session.redo()
    assert session.state is states[2]
    session.apply("Rename to G", lambda s: rename_project(s, "G"))
    session.redo()
    assert session.state.project.name == "G"
    session.move_to(0)
    assert session.state.is_same_document(before)


def test_a_stopped_edit_changes_nothing_and_says_so(hand: Hand) -> None:
    session = hand.session
    said: list[str] = []
    session.said.connect(lambda text, _: said.append(text))
    began, before = threading.Event(), session.state

    def edit(state: State, progress) -> State:  # type: ignore[no-untyped-def]
        began.set()
        for n in range(100_000):
            progress(n / 100_000)
            threading.Event().wait(0.001)
        return rename_project(state, "Never")

    session.run("Long", edit)
    hand.wait_busy(began.is_set)
    session.tasks.cancel()
    hand.wait()
    assert session.state is before
    assert any("Stopped" in text for text in said)

    def cancelled(state: State, _) -> State:  # type: ignore[no-untyped-def]
        raise Cancelled

    session.run("Cancelled inside", cancelled)
    hand.wait()
    assert session.state is before


def test_of_edits_that_follow_the_pointer_the_newest_is_done_and_none_is_half_done(hand: Hand) -> None:
    session = hand.session
    done: list[int] = []

    def edit(number: int):  # type: ignore[no-untyped-def]
        def change(state: State) -> State:
            done.append(number)
            return rename_project(state, f"Number {number}")

        return change

    position = session.history.position
    for number in range(50):
        session.run_latest("Drag", edit(number), "drag")
    hand.wait(lambda: session.state.project.name == "Number 49")
    assert done[-1] == 49
    assert len(done) < 50
    session.undo()
    assert session.history.position == position


def test_a_result_is_dropped_with_a_word_when_the_document_changed_meanwhile(hand: Hand) -> None:
    session = hand.session
    said: list[str] = []
    session.said.connect(lambda text, bad: said.append(text) if bad else None)
    gate = threading.Event()
    session.run("Slow", lambda s, _: (gate.wait(20), rename_project(s, "Slow"))[1])
    session.apply("Rename", lambda s: rename_project(s, "Quick"))
    gate.set()
    hand.wait()
    assert session.state.project.name == "Quick"
    assert any("Slow" in text and "dropped" in text for text in said)


def test_a_bake_that_ends_beside_long_work_loses_neither(hand: Hand) -> None:
    """What is computed from a document, and a save of it, stand though a bake comes to its end meanwhile."""
    session = hand.session
    made, gate = add_bake(session.state, "height", size=32), threading.Event()
    session.commit("Bake", made[0])
    texture = made[1]
    baked = make_bake(session.state, texture)
    step = session.state.project.recipe.steps[0]
    session.run("Rename", lambda s, _: (gate.wait(30), rename_project(s, "Computed"))[1])
    session.refine(lambda s: with_made(s, texture, baked), texture)
    gate.set()
    hand.wait(lambda: session.state.project.name == "Computed")
    held = session.state.project.asset.texture(texture)
    assert held is not None
    assert held.bake is not None
    assert held.bake.read == baked.bake.read
    assert np.array_equal(session.state.textures[texture].pixels, baked.raster.pixels)
    # A change of the artist's own still counts.
    gate.clear()
    said: list[str] = []
    session.said.connect(lambda words, _: said.append(words))
    session.run("Rename", lambda s, _: (gate.wait(30), rename_project(s, "Dropped"))[1])
    session.apply("Off", lambda s: recipe.update_step(s, step.id, enabled=not step.enabled))
    gate.set()
    hand.wait(lambda: any("changed meanwhile" in words for words in said))
    assert session.state.project.name == "Computed"
    # Nothing is unsaved by a bake that ends while the document is saved.
    session.save()
    session.refine(lambda s: with_seen(s, texture, baked.raster), texture)
    hand.wait(lambda: session.saving.is_idle)
    assert not session.is_dirty


def test_what_was_not_looked_for_yet_is_not_said_to_be_nothing(hand: Hand) -> None:
    session = hand.session
    hand.wait_judged()
    hand.find("No findings")
    region = session.state.region_ids[0]
    assert session.watch.shares[region] > 0.3
    session.open_state(session.state, None, "Opened once more")
    # Nothing comes in before the event loop goes on.
    hand.find("Looking for findings ...")
    assert region not in session.watch.shares
    hand.wait_judged()
    hand.find("No findings")
    assert session.watch.shares[region] > 0.3
