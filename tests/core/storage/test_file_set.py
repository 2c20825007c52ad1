"""Files that take their places together: after any failure or kill there are all of the old or all of the new."""

import os
from pathlib import Path

import pytest

from evenpalette.core.files import write_atomically
from evenpalette.core.storage import file_set
from evenpalette.core.storage.file_set import files_as_one, finish_left_behind

NAMES = ("kit/recipe.glsl", "kit/textures/tone.png", "variants/ember/base_color.png", "variants/plum/base_color.png")


def put(out: Path, text: str, names: tuple[str, ...] = NAMES) -> None:
    with files_as_one(out) as staged:
        for name in names:
            (staged / name).parent.mkdir(parents=True, exist_ok=True)
            (staged / name).write_text(text)


def told(out: Path) -> dict[str, str]:
    return {p.relative_to(out).as_posix(): p.read_text() for p in sorted(out.rglob("*")) if p.is_file()}


def test_a_failure_at_any_rename_leaves_the_folder_as_it_was(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    out = tmp_path / "out"
    put(out, "old", NAMES[:3])
    (out / "mine.txt").write_text("mine")
    before = told(out)
    real = Path.rename
    for fails_at in range(1, 8):
        calls = []

        def rename(self: Path, target: Path, calls: list = calls, fails_at: int = fails_at) -> Path:
            calls.append(1)
            if len(calls) == fails_at:
                raise OSError(28, "No space left on device")
            return real(self, target)

        with monkeypatch.context() as patch:
            patch.setattr(Path, "rename", rename)
            with pytest.raises(OSError, match="No space"):
                put(out, "new")
        assert told(out) == before
        assert {p.name for p in out.iterdir()} == {"kit", "variants", "mine.txt"}
        assert not (out / "variants" / "plum").exists()
    put(out, "new")
    assert told(out) == {**dict.fromkeys(NAMES, "new"), "mine.txt": "mine"}


def test_a_kill_while_files_take_their_places_is_finished_by_the_next_set(tmp_path: Path) -> None:
    for dies_at in range(1, 9):
        out = tmp_path / f"out-{dies_at}"
        put(out, "old")
        child = os.fork()
        if child == 0:
            calls = []
            real = Path.rename

            def rename(self: Path, target: Path, calls: list = calls, real=real, dies_at: int = dies_at) -> Path:
                calls.append(1)
                if len(calls) == dies_at:
                    os._exit(9)
                return real(self, target)

            Path.rename = rename  # type: ignore[method-assign,assignment]
            put(out, "new")
            os._exit(0)
        os.waitpid(child, 0)
        put(out, "later", ("other.txt",))
        assert told(out) == {**dict.fromkeys(NAMES, "new"), "other.txt": "later"}


def test_a_stage_without_a_whole_journal_is_swept_and_one_that_leads_outside_is_not_followed(tmp_path: Path) -> None:
    out = tmp_path / "out"
    for name, journal in (("0" * 12, None), ("1" * 12, '{"files": ["../stolen", "/stolen"]}'), ("2" * 12, "{")):
        stage = out / f".even-palette-{name}.set" / "new"
        stage.mkdir(parents=True)
        (stage / "stolen").write_text("x")
        if journal:
            write_atomically(stage.parent / "journal.json", journal.encode())
    put(out, "new", ("a.txt",))
    assert told(out) == {"a.txt": "new"}
    assert not (tmp_path / "stolen").exists()


def test_a_folder_or_a_link_in_the_way_is_an_error_and_not_a_place(tmp_path: Path) -> None:
    out, other = tmp_path / "out", tmp_path / "other"
    (out / "kit" / "recipe.glsl").mkdir(parents=True)
    other.mkdir()
    with pytest.raises(OSError, match=r"recipe\.glsl is a folder"):
        put(out, "new")
    (out / "kit" / "recipe.glsl").rmdir()
    (out / "variants").symlink_to(other)
    with pytest.raises(OSError, match="variants is a link"):
        put(out, "new")
    assert not list(other.iterdir())
    assert told(out) == {}
    with pytest.raises(OSError, match="another program"), file_set._alone_in(out):
        put(out, "new")
    with pytest.raises(ZeroDivisionError), files_as_one(tmp_path / "a" / "b"):
        raise ZeroDivisionError
    assert not (tmp_path / "a").exists()


def test_what_a_killed_delivery_left_is_found_from_the_next_start(tmp_path: Path) -> None:
    out = tmp_path / "out"
    child = os.fork()
    if not child:
        with files_as_one(out) as stage:
            (stage / "a.txt").write_text("half")
            os._exit(0)
    os.waitpid(child, 0)
    assert list(out.glob(".even-palette-*.set"))
    with files_as_one(tmp_path / "mine") as stage:
        (stage / "b.txt").write_text("whole")
        assert finish_left_behind() == [out], "a set that is being written is nobody's leaving"
    assert not list(out.iterdir())
    assert told(tmp_path / "mine") == {"b.txt": "whole"}
    assert finish_left_behind() == []
