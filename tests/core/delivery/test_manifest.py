"""A delivery as a whole: what is as it was is not written again, what is left over goes only on wish."""

import json
from pathlib import Path

from evenpalette.cli import main
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import set_value


def test_only_what_changed_is_written_again_and_what_is_left_is_named(lantern: State, tmp_path: Path) -> None:
    variants = [v.id for v in lantern.project.variants[:3]]
    first = deliver(lantern, tmp_path, variants=variants, longest=64, kit_longest=64)
    assert (first.unchanged, first.left) == (0, [])
    said = json.loads((tmp_path / "delivery.json").read_text())
    assert set(said["files"]) == {p.relative_to(tmp_path).as_posix() for p in first.files}
    times = {path: path.stat().st_mtime_ns for path in first.files}
    again = deliver(lantern, tmp_path, variants=variants, longest=64, kit_longest=64)
    assert again.unchanged == len(again.files) == len(first.files)
    assert {path: path.stat().st_mtime_ns for path in again.files} == times
    paper = next(p for p in lantern.project.parameters if p.name == "Paper tint")
    changed = set_value(lantern, variants[0], paper.id, "#123456")
    third = deliver(changed, tmp_path, variants=variants, longest=64, kit_longest=64)
    new = {path.relative_to(tmp_path).as_posix() for path, at in times.items() if path.stat().st_mtime_ns != at}
    assert new == {"variants/ember/base_color.png", "kit/parameters.json", "kit/variants.f32"}
    assert third.said.startswith(f"3 of {len(third.files)} files are new")
    # A file that somebody changed by hand is written again; what a stranger laid there is never touched.
    (tmp_path / "variants" / "ember" / "base_color.png").write_bytes(b"painted over")
    (tmp_path / "variants" / "mine.txt").write_text("keep")
    fewer = deliver(changed, tmp_path, variants=variants[:2], longest=64, kit_longest=64)
    assert (tmp_path / "variants" / "ember" / "base_color.png").stat().st_size > 100
    gone = (
        "variants/" + lantern.project.variants[2].name.lower().replace(", ", "-").replace(" ", "-") + "/base_color.png"
    )
    assert fewer.left == [gone]
    assert (tmp_path / gone).exists()
    cleaned = deliver(changed, tmp_path, variants=variants[:2], longest=64, kit_longest=64, clean=True)
    assert cleaned.left == [gone]
    assert not (tmp_path / gone).parent.exists()
    assert (tmp_path / "variants" / "mine.txt").read_text() == "keep"
    assert deliver(changed, tmp_path, variants=variants[:2], longest=64, kit_longest=64).left == []


def test_a_hostile_manifest_removes_nothing_outside(demo_folder: Path, tmp_path: Path) -> None:
    out, secret = tmp_path / "out", tmp_path / "secret.txt"
    secret.write_text("mine")
    out.mkdir()
    listed = {"../secret.txt": {}, str(secret): {}, "a/../../secret.txt": {}, "delivery.json": 3}
    for text in (
        json.dumps({"format": "even-palette-delivery", "version": 1, "files": listed, "left": {}}),
        "{",
        "[]",
        '{"format": 1}',
    ):
        (out / "delivery.json").write_text(text)
        words = ["export", str(demo_folder), "--out", str(out), "--target", "kit", "--kit-size", "32", "--clean"]
        assert main(words) == 0
        assert secret.read_text() == "mine"
