"""Steps that follow a file: two projects share one, it is edited once, and what each made its own stays."""

import json
import os
from pathlib import Path

import pytest

from evenpalette.core.consent import inside
from evenpalette.core.document.state import State
from evenpalette.core.edits.links import changes_of, detach, link_steps, save_linked, take_changes
from evenpalette.core.edits.parameters import name_input
from evenpalette.core.edits.recipe import add_row, add_step, bind_input, update_step
from evenpalette.core.edits.step_text import steps_as_text
from evenpalette.core.errors import RecipeError
from evenpalette.core.findings.findings import find_all, mend_for
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.storage.storage import Storage


def anything(_: str) -> bool:
    """All files may be read."""
    return True


def edited(path: Path, key: str, value: object, row: int = 0) -> None:
    """Change a value of the first step in a file, as somebody else's project does."""
    raw = json.loads(path.read_text())
    step = raw["steps"][0]
    place = (
        step["rows"][row].setdefault("inputs", {})
        if key in step["rows"][row].get("inputs", {})
        else step.setdefault("inputs", {})
    )
    place[key] = {"value": value}
    path.write_text(json.dumps(raw))


@pytest.fixture
def shared(lantern: State, tmp_path: Path) -> tuple[State, State, Path]:
    """The lantern with its soot saved as a file, a second lantern that follows it, and the file."""
    path = tmp_path / "market.steps.json"
    soot = next(step for step in lantern.project.recipe.steps if step.kind == "cover")
    first = save_linked(lantern, [soot.id], path)
    bare = lantern.with_project(
        recipe=lantern.project.recipe.model_copy(update={"steps": lantern.project.recipe.steps[:1]})
    )
    second, missing = link_steps(bare, path)
    assert missing == []
    return first, second, path


def follower(state: State):  # type: ignore[no-untyped-def]
    return next(step for step in state.project.recipe.steps if step.link is not None)


def value(state: State, key: str):  # type: ignore[no-untyped-def]
    step = follower(state)
    return step.binding(step.rows[0], key).value


def test_a_change_of_the_file_is_shown_before_it_is_taken_and_all_follow(shared: tuple[State, State, Path]) -> None:
    first, second, path = shared
    assert changes_of(first, anything) == changes_of(second, anything) == []
    edited(path, "softness", 0.31)
    for state in (first, second):
        change = changes_of(state, anything)[0]
        assert any(word.startswith("Softness") and word.endswith("0.31") for word in change.what)
        finding = next(f for f in find_all(state, may_read=anything) if f.code == "link-changed")
        assert "market.steps.json has changed" in finding.text
        assert value(state, "softness") != 0.31, "not taken yet"
        after = mend_for(state, finding)[1](state)
        assert value(after, "softness") == 0.31
        assert changes_of(after, anything) == []


def test_what_was_changed_here_stays(shared: tuple[State, State, Path]) -> None:
    _, second, path = shared
    step = follower(second)
    row = step.rows[0].id if "level" in step.rows[0].inputs else None
    mine = bind_input(second, step.id, "level", Binding(value=0.77), row)
    mine = update_step(mine, step.id, name="My soot")
    edited(path, "softness", 0.42)
    edited(path, "level", 0.11)
    change = changes_of(mine, anything)[0]
    assert not any(word.startswith("Level") for word in change.what)
    after = take_changes(mine)
    assert value(after, "level") == 0.77
    assert value(after, "softness") == 0.42
    assert follower(after).name == "My soot"
    # Again, later: what is this project's own is so still.
    edited(path, "softness", 0.5)
    assert value(take_changes(after), "softness") == 0.5
    assert value(take_changes(after), "level") == 0.77


def test_rows_come_and_go_with_the_file_and_own_rows_stay(lantern: State, tmp_path: Path) -> None:
    path = tmp_path / "paint.steps.json"
    regions = lantern.region_ids
    state = add_step(lantern, "replace", (regions[0],), step_id="paint")
    state = add_row(state, "paint", (regions[1],), "second")
    state = save_linked(state, ["paint"], path)
    state = add_row(state, "paint", (regions[2],), "own")
    other = add_row(detach(state, "paint"), "paint", (regions[3],), "third")
    raw = json.loads(steps_as_text(other, ["paint"]))
    raw["steps"][0]["rows"] = [r for r in raw["steps"][0]["rows"] if r["id"] not in ("second", "own")]
    path.write_text(json.dumps(raw))
    assert {"a row goes", "a row comes"} <= set(changes_of(state, anything)[0].what)
    after = take_changes(state).project.recipe.step("paint")
    assert [row.regions for row in after.rows] == [(regions[0],), (regions[3],), (regions[2],)]


def test_a_file_that_is_gone_newer_or_no_steps_is_said_and_the_step_stays(
    shared: tuple[State, State, Path], tmp_path: Path
) -> None:
    first, _, path = shared
    before = follower(first)
    text = path.read_text()
    for content, words in ((None, "not there any more"), (json.dumps({**json.loads(text), "version": 9}), "newer version"), ("hello", "no steps"),
                           (json.dumps({**json.loads(text), "steps": []}), "no such step")):  # fmt: skip
        path.unlink() if content is None else path.write_text(content)
        assert words in changes_of(first, anything)[0].problem
        finding = next(f for f in find_all(first, may_read=anything) if f.code == "link-lost")
        assert words in finding.text
        with pytest.raises(RecipeError):
            take_changes(first)
        assert follower(first) == before
        loose = mend_for(first, finding)[1](first)
        assert not [step for step in loose.project.recipe.steps if step.link is not None]
    with pytest.raises(RecipeError, match="no file of steps"):
        link_steps(first, tmp_path / "passwd")


def test_a_link_is_kept_in_the_project_and_moves_with_it(shared: tuple[State, State, Path], tmp_path: Path) -> None:
    first, _, path = shared
    folder = tmp_path / "one"
    Storage(folder).save(first)
    assert str(tmp_path) not in (folder / "project.json").read_text(), "relative to the project"
    moved = tmp_path / "elsewhere"
    moved.mkdir()
    folder.rename(moved / "one")
    path.rename(moved / path.name)
    again = Storage(moved / "one").open()
    assert changes_of(again, anything) == []
    edited(moved / path.name, "softness", 0.31)
    assert changes_of(again, anything)[0].what
    named = name_input(again, follower(again).id, "softness", "Edge")
    assert value(take_changes(named), "softness") is None, "it follows a parameter here"


def test_a_file_that_nobody_allowed_is_left_alone(
    shared: tuple[State, State, Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    _, second, path = shared
    edited(path, "softness", 0.31)
    opened: list[str] = []
    real = os.open
    monkeypatch.setattr(os, "open", lambda p, *a, **k: (opened.append(str(p)), real(p, *a, **k))[1])
    assert not [f for f in find_all(second) if f.code.startswith("link")]
    assert str(path) not in opened
    assert find_all(second, may_read=inside(tmp_path))
    assert str(path) in opened
    # A link of the file system does not make it a file of the project.
    (tmp_path / "p").mkdir()
    (tmp_path / "p" / "market.steps.json").symlink_to(path)
    assert not inside(tmp_path / "p")(str(tmp_path / "p" / "market.steps.json"))


def test_a_damaged_base_is_said_and_changes_nothing(shared: tuple[State, State, Path]) -> None:
    _, second, path = shared
    edited(path, "softness", 0.31)
    step = follower(second)
    for base in ("", "{", "[" * 5000, '{"id": 3}', '{"kind": "tint"}'):
        steps = [
            s.model_copy(update={"link": s.link.model_copy(update={"base": base})}) if s.link else s
            for s in second.project.recipe.steps
        ]
        damaged = second.with_project(recipe=second.project.recipe.model_copy(update={"steps": tuple(steps)}))
        assert "is damaged" in changes_of(damaged, anything)[0].problem
        with pytest.raises(RecipeError, match="is damaged"):
            take_changes(damaged, [step.id])
