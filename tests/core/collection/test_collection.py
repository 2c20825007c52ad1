"""Collections: what a file may be, values that are shared, and what becomes of them when two people work."""

import json
import shutil
import time
from pathlib import Path

import pytest

import evenpalette
from evenpalette.core.collection.across import effects_of, with_shared
from evenpalette.core.collection.files import CollectionFile
from evenpalette.core.collection.model import Collection, parse_collection
from evenpalette.core.collection.shared import changes_of
from evenpalette.core.document.state import State
from evenpalette.core.errors import CollectionError
from evenpalette.core.findings.findings import find_all, mend_for
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage


@pytest.fixture
def market(tmp_path: Path) -> Path:
    """The demo's collection: Guild red is followed by pennant, sign and tin, Jade by tin and lantern."""
    return copy_demo(tmp_path / "market").parent / "market.collection.json"


def text(folder: Path) -> str:
    return (folder / "project.json").read_text("utf-8")


def test_a_shared_color_is_tried_out_taken_everywhere_and_taken_back(market: Path) -> None:
    collection = evenpalette.open_collection(market)
    folders = collection.projects
    before = {key: text(folder) for key, folder in folders.items()}
    tried = collection.preview("Guild red", "#803a8a")
    assert {e.project: e.count for e in tried} == {"moth-lantern": 0, "pennant": 1, "stall-sign": 1, "tea-tin": 1}
    assert {key: text(folder) for key, folder in folders.items()} == before
    taken = collection.change("guild red", "#803A8A")
    assert [(t.count, t.problem) for t in taken] == [(e.count, "") for e in tried]
    assert text(folders["moth-lantern"]) == before["moth-lantern"]
    with evenpalette.open(folders["pennant"]) as pennant:
        assert pennant.variants["Market Red"]["Field tint"] == "#803a8a"
        assert pennant.variants["River Stall"]["Field tint"] == "#2c6d8f"
    collection.change("Guild red", "#a7302b")
    assert {key: text(folder) for key, folder in folders.items()} == before


def test_what_is_set_otherwise_in_a_project_stays_and_a_project_can_part(market: Path) -> None:
    collection = evenpalette.open_collection(market)
    with evenpalette.open(market.parent / "pennant") as pennant:
        pennant.variants["Market Red"]["Field tint"] = "#112233"
        pennant.save()
    found = {t.project: t for t in collection.change("Guild red", "#445566")}
    assert (found["pennant"].count, found["pennant"].own) == (0, 1)
    with evenpalette.open(market.parent / "pennant") as pennant:
        assert pennant.variants["Market Red"]["Field tint"] == "#112233"
        pennant.part("Field tint", "Market Red")
        pennant.save()
    assert {t.project: t.own for t in collection.preview("Guild red", "#000000")}["pennant"] == 0
    # A value that has followed its parent again follows nothing more that could be taken.
    with evenpalette.open(market.parent / "stall-sign") as sign:
        del sign.variants["Red Kettle"]["Board tint"]
        sign.save()
    assert {t.project: t.count + t.own for t in collection.preview("Guild red", "#000000")}["stall-sign"] == 0


def test_a_newer_and_a_lost_value_are_said_and_mended(market: Path) -> None:
    file = CollectionFile(market)
    file.write(with_shared(file.read(), "guild-red", "#123456"))
    state = Storage(market.parent / "pennant").open()

    def may(path: str) -> bool:
        return Path(path) == market

    assert [f.code for f in find_all(state)] == []  # what may not be read is left alone
    (newer,) = find_all(state, may_read=may)
    assert newer.code == "shared-changed"
    assert "Field tint of Market Red" in newer.text
    assert "#123456" in newer.text
    mend = mend_for(state, newer)
    assert mend is not None
    taken = mend[1](state)
    assert find_all(taken, may_read=may) == []
    file.write(file.read().model_copy(update={"shared": ()}))
    (lost,) = find_all(taken, may_read=may)
    assert lost.code == "shared-lost"
    mend = mend_for(taken, lost)
    assert mend is not None
    free = mend[1](taken)
    assert (find_all(free, may_read=may), free.project.follows) == ([], ())
    market.unlink()
    assert [c.problem for c in changes_of(taken, may)] == [f"{market} does not exist."]


def test_two_people_change_the_file_and_the_later_one_is_told(market: Path) -> None:
    one, two = evenpalette.open_collection(market), evenpalette.open_collection(market)
    one.share("Wear", 0.4)
    with pytest.raises(evenpalette.Error, match="changed by somebody else"):
        two.change("Guild red", "#000000")
    again = evenpalette.open_collection(market)
    assert again.shared == {"Guild red": "#a7302b", "Jade": "#2c5a4a", "Wear": 0.4}
    again.change("Guild red", "#000000")


def test_a_project_that_a_window_holds_is_left_and_said(market: Path) -> None:
    from PyQt6.QtCore import QLockFile

    lock = QLockFile(str(market.parent / "pennant" / ".even-palette-1.lock"))
    assert lock.tryLock(0)
    try:
        found = {t.project: t for t in evenpalette.open_collection(market).change("Guild red", "#101010")}
        assert "is open in a window" in found["pennant"].problem
        assert found["stall-sign"].count == 1
        with evenpalette.open(market.parent / "pennant") as held, pytest.raises(evenpalette.Error, match="window"):
            held.save()
    finally:
        lock.unlock()


def raw(**parts: object) -> bytes:
    return json.dumps({"format": "even-palette-collection", "version": 1, "name": "Hostile", **parts}).encode()


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (raw(projects=[{"id": "a", "path": "../../etc"}]), "no place beneath"),
        (raw(projects=[{"id": "a", "path": "/etc"}]), "no place beneath"),
        (raw(projects=[{"id": "a", "path": "a\\..\\b"}]), "no place beneath"),
        (raw(projects=[{"id": "a", "path": "."}]), "no place beneath"),
        (raw(projects=[{"id": "a", "path": "x"}, {"id": "a", "path": "y"}]), "twice"),
        (raw(projects=[{"id": "a", "path": "x"}, {"id": "b", "path": "X"}]), "twice"),
        (raw(projects=[{"id": f"p{i}", "path": f"p{i}"} for i in range(100_000)]), "at most 10000"),
        (raw(name="Two\nlines"), "line breaks"),
        (raw(shared=[{"id": "a", "name": "Red\n", "type": "color", "value": "#ff0000"}]), "line breaks"),
        (raw(shared=[{"id": "a", "name": "Red", "type": "color", "value": "red"}]), "damaged at shared"),
        (raw(shared=[{"id": "a", "name": "Red", "type": "number", "value": "1"}]), "no number"),
        (raw(shared=[{"id": "../a", "name": "Red", "type": "number", "value": 1}]), "no id"),
        (raw(surprise=1), "damaged at surprise"),
        (b'{"format": "even-palette-collection", "version": 2}', "newer Even Palette"),
        (b'{"format": "even-palette-project", "version": 1}', "no collection"),
        (b"[" * 5000, "no collection"),
        (b"\xff\xfe", "no collection"),
        (b"", "no collection"),
    ],
)  # fmt: skip
def test_a_hostile_file_is_refused_in_a_sentence(content: bytes, said: str) -> None:
    began = time.monotonic()
    with pytest.raises(CollectionError, match=said) as refused:
        parse_collection(content, "it")
    assert "\n" not in str(refused.value)
    assert time.monotonic() - began < 20


def test_links_that_lead_out_or_in_a_circle_are_not_followed(market: Path, tmp_path: Path) -> None:
    elsewhere = tmp_path / "elsewhere"
    shutil.move(market.parent / "pennant", elsewhere)
    (market.parent / "pennant").symlink_to(elsewhere)
    shutil.rmtree(market.parent / "tea-tin")
    (market.parent / "tea-tin").symlink_to(market.parent / "tea-tin")
    collection = evenpalette.open_collection(market)
    problems = {t.project: t.problem for t in collection.change("Guild red", "#000000")}
    assert "leads out" in problems["pennant"]
    assert problems["tea-tin"]
    assert problems["stall-sign"] == ""
    assert "#a7302b" in text(elsewhere)
    with pytest.raises(evenpalette.Error, match="lies elsewhere"):
        collection.add(elsewhere)


def test_a_thousand_assets_are_previewed_without_their_pictures(market: Path) -> None:
    """Pictures are not opened for a change of values: with those of all projects gone the answer is the same."""
    file, pennant = CollectionFile(market), market.parent / "pennant"
    shutil.rmtree(pennant / "textures")
    effects = {e.project.id: e.count for e in effects_of(file, with_shared(file.read(), "guild-red", "#000000"))}
    assert effects["pennant"] == 1
    assert isinstance(State(Storage(pennant).open_description()), State)


def test_the_published_schema_is_that_of_the_files(market: Path) -> None:
    import jsonschema

    schema = json.loads((Path(__file__).parents[3] / "docs" / "collection.schema.json").read_text())
    jsonschema.validate(json.loads(market.read_text()), schema)
    assert set(schema["properties"]) == set(Collection.model_fields)
