"""A delivery as a whole: what is as it was is not written again, what is left over goes only on wish."""

import json
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType

import numpy as np
import pytest

from evenpalette.cli import main
from evenpalette.core.delivery import render, writing
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.difference import against_former
from evenpalette.core.delivery.render import groups_of
from evenpalette.core.document.layout_model import read_layout
from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import set_value
from evenpalette.core.raster import raster
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.raster import Raster


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


def test_what_was_made_from_the_same_is_not_made_again(
    lantern: State, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Counts recipes that are evaluated; the files are held against those of a delivery into an empty folder."""
    counts: list[int] = []
    plain = render.evaluate_surfaces

    def counted(recipes: list, *given: object, **words: object) -> object:
        counts.append(len(recipes))
        return plain(recipes, *given, **words)

    monkeypatch.setattr(render, "evaluate_surfaces", counted)
    layout = read_layout(
        '{"format": "even-palette-layout", "version": 1, "files": [{"name": "{variant}_r", "channels": '
        '[{"to": "r", "from": "attribute:roughness"}]}]}'
    )
    variants = [v.id for v in lantern.project.variants[:3]]
    words = {"variants": variants, "longest": 32, "kit_longest": 32, "targets": ["images", "kit"], "layout": layout}
    paper = next(p for p in lantern.project.parameters if p.name == "Paper tint")
    one = set_value(lantern, variants[0], paper.id, "#123456")
    region = next(iter(lantern.coverages))
    half = MappingProxyType({**lantern.coverages, region: lantern.coverages[region] // 2})
    other_plane = replace(lantern, coverages=half)
    for state, recipes in ((lantern, 3), (lantern, 0), (one, 1), (other_plane, 3)):
        counts.clear()
        deliver(state, tmp_path / "out", **words)
        assert sum(counts) == recipes
        deliver(state, tmp_path / f"fresh {len(list(tmp_path.iterdir()))}", **words)
        fresh = max(tmp_path.glob("fresh *"), key=lambda path: path.stat().st_mtime_ns)
        for file in fresh.rglob("*"):
            if file.is_file():
                assert (tmp_path / "out" / file.relative_to(fresh)).read_bytes() == file.read_bytes(), file
    # What the manifest says of a map is a stranger's word: a wrong one is made anew.
    said = json.loads((tmp_path / "out" / "delivery.json").read_text())
    for entry in said["files"].values():
        entry["map"] = {"file": 3}
    (tmp_path / "out" / "delivery.json").write_text(json.dumps(said))
    counts.clear()
    deliver(other_plane, tmp_path / "out", **words)
    assert sum(counts) == 3


def test_what_would_change_is_said_in_ciede2000_before_anything_is_written(
    lantern: State, demo_folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Held against colour-science's CIE 2000 for the variant that changed."""
    import colour

    variants = [v.id for v in lantern.project.variants[:3]]
    deliver(lantern, tmp_path, variants=variants[:2], longest=64, targets=["images"])
    before = {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()}
    paper = next(p for p in lantern.project.parameters if p.name == "Paper tint")
    other = set_value(lantern, variants[1], paper.id, "#2244cc")
    same, changed, new = against_former(other, tmp_path, variants=variants, longest=64)
    assert (same.said, new.said, new.is_new) == ("as it was", "new", True)
    now = render.render_map(other, variants[1], (64, 64)).as_linear()
    then = read_image(tmp_path / "variants" / "harbour-night" / "base_color.png").as_linear()
    lab = [colour.XYZ_to_Lab(colour.RGB_to_XYZ(p[..., :3], "sRGB"), colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"]) for p in (now, then)]  # fmt: skip
    told = colour.delta_E(*lab, method="CIE 2000")[other.used_at((64, 64))]
    assert abs(changed.mean - told.mean()) < 0.05
    assert abs(changed.worst - told.max()) < 0.3
    assert {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()} == before
    words = ["export", str(demo_folder), "--out", str(tmp_path), "--size", "64", "--dry-run", "--variant", "Straw"]
    assert main(words) == 0
    assert capsys.readouterr().out == "Straw: new\n"
    # A kit alone has the variant, and no picture of it.
    deliver(lantern, tmp_path / "kit", kit_longest=64, targets=["kit"])
    assert main([*words[:3], str(tmp_path / "kit"), *words[4:]]) == 0
    assert capsys.readouterr().out == "Straw: in the kit that lies there, which has no pictures to compare with\n"


def test_what_is_too_large_at_once_is_made_in_parts_and_is_the_same(
    lantern: State, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As at 8192 texels: attributes in groups, pictures that wait for each other, sources made larger in strips."""
    words = {
        "variants": [lantern.project.variants[0].id],
        "longest": 1200,
        "targets": ["images"],
        "maps": lantern.attributes,
    }
    deliver(lantern, tmp_path / "whole", **words)
    size = (1200, 1200)
    assert groups_of(lantern.attributes, size) == [tuple(lantern.attributes)]
    monkeypatch.setattr(render, "_MOST_BYTES", 6 << 20)
    monkeypatch.setattr(writing, "_MOST_BYTES", 1 << 20)
    monkeypatch.setattr(raster, "_MOST_FLOAT_BYTES", 1 << 20)
    groups = groups_of(lantern.attributes, size)
    assert len(groups) > 3
    assert [key for group in groups for key in group] == list(lantern.attributes)
    # Sources of their own, so that nothing is remembered.
    fresh = replace(
        lantern,
        textures=MappingProxyType({k: Raster(r.pixels.copy(), r.encoding) for k, r in lantern.textures.items()}),
    )
    deliver(fresh, tmp_path / "parts", **words)
    for file in (tmp_path / "whole").rglob("*.png"):
        one, other = (
            read_image(f).pixels.astype(int) for f in (file, tmp_path / "parts" / file.relative_to(tmp_path / "whole"))
        )
        gap = np.abs(one - other)
        assert gap.max() <= 2, file.name
        assert (gap <= 1).mean() > 0.999, file.name


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
