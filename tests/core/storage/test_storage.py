"""Projects on disk: nothing is lost, nothing is half-written, nothing outside is touched."""

import json
import os
import random
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import jsonschema
import numpy as np
import pytest

from evenpalette.core import files
from evenpalette.core.collection.files import CollectionFile
from evenpalette.core.collection.shared import value_now
from evenpalette.core.delivery.render import render_map, render_maps
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture, rename_project
from evenpalette.core.edits.bakes import baked_textures, outdated
from evenpalette.core.edits.crowd import picks
from evenpalette.core.errors import ProjectError
from evenpalette.core.placement import Placement
from evenpalette.core.raster.formats import exr
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import ROUGHNESS
from evenpalette.core.recipe.binding import Moment
from evenpalette.core.recipe.evaluate import evaluate, evaluate_surface
from evenpalette.core.storage.autosave import Autosave, find_recoverable, recover
from evenpalette.core.storage.storage import Storage


def equal(a: State, b: State) -> bool:
    planes = set(a.coverages) == set(b.coverages) and all(
        np.array_equal(a.coverages[k], b.coverages[k]) for k in a.coverages
    )
    pictures = all(np.array_equal(a.textures[k].pixels, b.textures[k].pixels) for k in a.textures)
    assert a.tone is not None
    assert b.tone is not None
    return a.project == b.project and planes and pictures and np.array_equal(a.tone.pixels, b.tone.pixels)


def test_a_saved_project_opens_as_it_was(tmp_path: Path, lantern: State) -> None:
    Storage(tmp_path / "p").save(lantern)
    assert equal(Storage(tmp_path / "p").open(), lantern)


def test_saving_again_writes_only_what_changed_and_removes_what_is_unused(tmp_path: Path, demo_folder: Path) -> None:
    shutil.copytree(demo_folder, tmp_path / "p")
    storage = Storage(tmp_path / "p")
    state = storage.open()
    before = {p: p.stat().st_mtime_ns for p in (tmp_path / "p").rglob("*") if p.is_file()}
    storage.save(rename_project(state, "Other"))
    changed = [p.name for p, stamp in before.items() if p.stat().st_mtime_ns != stamp]
    assert changed == ["project.json"]
    storage.save(State(project=state.project, mesh=state.mesh, textures=state.textures, coverages=state.coverages))
    assert not (tmp_path / "p" / "tone").exists()


def test_a_file_that_was_written_over_is_written_again(tmp_path: Path, demo_folder: Path) -> None:
    """By something that keeps its size, its name and its time."""
    shutil.copytree(demo_folder, tmp_path / "p")
    storage = Storage(tmp_path / "p")
    state = storage.open()
    for victim in (*(tmp_path / "p" / "textures").iterdir(), *(tmp_path / "p" / "mesh").iterdir()):
        stamp = victim.stat()
        victim.write_bytes(bytes(stamp.st_size))
        os.utime(victim, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    storage.save(rename_project(state, "Other"))
    assert equal(Storage(tmp_path / "p").open(), rename_project(state, "Other"))


def test_a_save_whose_float_texture_cannot_be_made_says_so(
    tmp_path: Path, lantern: State, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The OpenEXR library raises its own error for a full disk."""
    storage = Storage(tmp_path / "p")
    storage.save(lantern)
    monkeypatch.setattr(exr.tempfile, "tempdir", str(tmp_path / "no such folder"))
    light = add_texture(lantern, Raster(np.ones((4, 4, 3), np.float32), Encoding.LINEAR), "light.exr")
    with pytest.raises(ProjectError, match="OpenEXR file could not be made"):
        storage.save(light)
    assert equal(Storage(tmp_path / "p").open(), lantern)


def test_a_version_2_project_opens_for_good(tmp_path: Path) -> None:
    """Saved when version 2 landed; it has a step of every kind, an operation and variants."""
    state = Storage(Path(__file__).parents[2] / "data" / "version-2" / "strip").open()
    assert {step.kind for step in state.project.recipe.steps} >= {
        "tint",
        "replace",
        "hue_shift",
        "grade",
        "cover",
        "shade",
    }
    assert [len(d.regions) for d in state.project.regions.divisions] == [5]
    assert len(state.project.variants) == 3
    Storage(tmp_path / "again").save(state)
    assert Storage(tmp_path / "again").open().project == state.project


def test_a_project_with_all_that_tones_brought_opens_for_good(tmp_path: Path) -> None:
    """Saved at 0.5.0: a region split by hue, levels, a residue, a mended texture, index art, ramps, a pulse, every
    kind."""
    state = Storage(Path(__file__).parents[2] / "data" / "version-2" / "ribbon").open()
    textures = {t.name: t for t in state.project.asset.textures}
    assert textures["ribbon-mended.png"].mended.mending.enlarge == 2
    assert state.textures[textures["ribbon-mended.png"].id].size == (64, 64)
    assert len(textures["ramp.png"].ramps) == 2
    assert textures["ribbon-strip.png"].locked == ("#ff0000",)
    sources = [region.source.kind for region in state.project.regions.regions]
    assert "hue" in sources
    assert state.coverages[state.region_ids[sources.index("hue")]].max() == 255
    steps = state.project.recipe.steps
    assert {step.kind for step in steps} >= {
        "levels",
        "residue",
        "ramp",
        "palette",
        "two_tone",
        "channel_tints",
        "blend",
        "drift",
        "fade",
    }
    assert any(b.pulse is not None and b.pulse.shape == "curve" for step in steps for b in step.bindings)
    Storage(tmp_path / "again").save(state)
    assert Storage(tmp_path / "again").open().project == state.project


def test_a_project_with_all_that_materials_brought_opens_for_good(tmp_path: Path) -> None:
    """Saved at 0.6.0, version 3: a step of every kind, a choice of textures, a vector, a part of a texture, a pick."""
    data = Path(__file__).parents[2] / "data"
    assert [json.loads((data / f"version-{n}" / "ribbon" / "project.json").read_text())["version"] for n in (2, 3)] == [
        2,
        3,
    ]
    state = Storage(data / "version-3" / "ribbon").open()
    steps = {step.kind: step for step in state.project.recipe.steps}
    assert set(steps) >= {
        "tile",
        "inside",
        "strands",
        "finish_map",
        "fill",
        "mix",
        "finish",
        "normal_detail",
        "cut_out",
        "glow",
    }
    pattern, wear = state.project.parameters[-2:]
    assert [p.type.value for p in (pattern, wear)] == ["texture", "vector"]
    variant = state.project.variants[0].id
    assert state.values(variant)[wear.id] == "0.2, 0.4, 0.6"
    assert state.values(variant)[pattern.id] == pattern.choices[1]
    assert Placement.parse(str(steps["tile"].binding(steps["tile"].rows[0], "atlas_placed").value)).part == (
        0.25,
        0.25,
        0.5,
        0.5,
    )
    evaluate(state.bound_steps(variant), state.sources, size=(16, 16))
    Storage(tmp_path / "again").save(state)
    assert Storage(tmp_path / "again").open().project == state.project


def test_a_project_of_version_4_opens_for_good(tmp_path: Path) -> None:
    """Saved at 0.7.0: angles run counter-clockwise, and a finding is left. It is version 3's project, so that it looks
    the same."""
    data = Path(__file__).parents[2] / "data"
    state, old = (Storage(data / f"version-{n}" / "ribbon").open() for n in (4, 3))
    assert json.loads((data / "version-4" / "ribbon" / "project.json").read_text())["version"] == 4
    assert state.project.ignored == ("thin",)
    assert state.project.model_copy(update={"ignored": ()}) == old.project
    for variant in (None, *(v.id for v in state.project.variants)):
        one, other = (evaluate(s.bound_steps(variant), s.sources, size=(16, 16)).pixels for s in (state, old))
        assert np.array_equal(one, other)
    Storage(tmp_path / "again").save(state)
    assert Storage(tmp_path / "again").open().project == state.project


def test_a_project_of_version_5_opens_for_good(tmp_path: Path) -> None:
    """Saved at 0.8.0: version 4's project that also delivers a page."""
    data = Path(__file__).parents[2] / "data"
    state, old = (Storage(data / f"version-{n}" / "ribbon").open() for n in (5, 4))
    assert json.loads((data / "version-5" / "ribbon" / "project.json").read_text())["version"] == 5
    assert state.project.delivery.targets == ("images", "kit", "preview")
    assert old.project.delivery.targets == ()
    delivery = state.project.delivery.model_copy(update={"targets": ()})
    assert state.project.model_copy(update={"delivery": delivery}) == old.project
    Storage(tmp_path / "again").save(state)
    assert Storage(tmp_path / "again").open().project == state.project


def test_a_project_of_version_6_opens_for_good(tmp_path: Path) -> None:
    """Saved at 0.8.0: with a curvature under a ramp and the gathered glow of a lamp, both as they were made."""
    folder = Path(__file__).parents[2] / "data" / "version-6" / "yard"
    state = Storage(folder).open()
    assert json.loads((folder / "project.json").read_text())["version"] == 6
    assert {t.bake.kind for t in baked_textures(state) if t.bake is not None} == {"glow", "curvature"}
    assert not list(outdated(state))
    made = evaluate_surface(state.bound_steps(None), state.sources, ("emissive",), float_output=True)["emissive"].pixels
    assert made[8:56, 4:28].min() > 0
    Storage(tmp_path / "again").save(state)
    assert Storage(tmp_path / "again").open().project == state.project


def test_a_project_of_version_7_opens_for_good(tmp_path: Path) -> None:
    """Saved at 0.8.0: a value follows a shared one of the collection beside it."""
    data = Path(__file__).parents[2] / "data" / "version-7"
    shutil.copytree(data, tmp_path / "yard")
    assert json.loads((data / "ribbon" / "project.json").read_text())["version"] == 7
    state = Storage(tmp_path / "yard" / "ribbon").open()
    (follow,) = state.project.follows
    assert Path(follow.path) == tmp_path / "yard" / "yard.collection.json"
    assert value_now(state, follow) == follow.taken == "#985824"
    assert CollectionFile(follow.path).read().shared_value("Guild red").id == follow.shared
    old = Storage(Path(__file__).parents[2] / "data" / "version-4" / "ribbon").open()
    assert np.array_equal(render_map(state, follow.variant, None).pixels, render_map(old, follow.variant, None).pixels)


def test_a_project_of_version_8_opens_for_good(tmp_path: Path) -> None:
    """Saved at 0.8.0: a crowd with a moved copy, a limit, a mark, a lock, a copy kept as a variant."""
    folder = Path(__file__).parents[2] / "data" / "version-8" / "ribbon"
    assert json.loads((folder / "project.json").read_text())["version"] == 8
    state = Storage(folder).open()
    project = state.project
    assert (project.crowd.laid, project.crowd.count, project.crowd.moved[0].x) == ("street", 24, 1.5)
    assert (project.limits[0].hue, project.locked) == ((340.0, 40.0), (project.parameters[0].id,))
    day, kept = project.variants[:2]
    assert (day.mark, day.note) == ("change", "lighter")
    pick = next(pick for *_, pick in picks(state) if pick.pin)
    assert state.values(kept.id)[pick.pin or ""] == 12
    made = [
        render_maps(state, v.id, (ROUGHNESS,), None, at=Moment(copy))[ROUGHNESS].raster.pixels
        for v, copy in ((day, 12), (kept, 3), (day, 3))
    ]
    assert np.array_equal(made[0], made[1])
    assert not np.array_equal(made[0], made[2])
    Storage(tmp_path / "again").save(state)
    assert Storage(tmp_path / "again").open().project == project


def test_the_published_schema_describes_the_demo(demo_folder: Path) -> None:
    root = Path(__file__).parents[3]
    schema = json.loads((root / "docs" / "project.schema.json").read_text())
    jsonschema.validate(json.loads((demo_folder / "project.json").read_text()), schema)
    sys.path.insert(0, str(root))
    from scripts.schema import schema_text

    assert json.loads(schema_text()) == schema, "run `make schema`"


def damaged(folder: Path, change) -> None:
    raw = json.loads((folder / "project.json").read_text())
    change(raw)
    (folder / "project.json").write_text(json.dumps(raw))


@pytest.mark.parametrize(
    ("problem", "change"),
    [
        ("newer Even Palette", lambda raw: raw.update(version=99)),
        ("not an Even Palette project", lambda raw: raw.update(format="other")),
        ("lies outside the project", lambda raw: raw["rasters"].update(tone="../../etc/hostname")),
        ("lies outside the project", lambda raw: raw.update(mesh_file="/etc/hostname")),
        ("damaged at sheets > 0 > steps", lambda raw: raw["sheets"][0].update(steps=[{"id": 1}])),
        ("cannot be read", lambda raw: raw["rasters"].update(tone="tone/gone.png")),
    ],
)
def test_a_bad_project_gives_one_clear_message(tmp_path: Path, demo_folder: Path, problem: str, change) -> None:
    folder = tmp_path / "p"
    shutil.copytree(demo_folder, folder)
    damaged(folder, change)
    with pytest.raises(ProjectError, match=problem) as caught:
        Storage(folder).open()
    assert "\n" not in str(caught.value)


def test_a_link_out_of_the_project_is_not_followed(tmp_path: Path, demo_folder: Path) -> None:
    folder = tmp_path / "p"
    shutil.copytree(demo_folder, folder)
    (tmp_path / "secret.png").write_bytes(b"x")
    (folder / "tone" / "link.png").symlink_to(tmp_path / "secret.png")
    damaged(folder, lambda raw: raw["rasters"].update(tone="tone/link.png"))
    with pytest.raises(ProjectError, match="outside the project"):
        Storage(folder).open()


def test_a_full_disk_leaves_the_last_save_whole(
    tmp_path: Path, lantern: State, monkeypatch: pytest.MonkeyPatch
) -> None:
    storage = Storage(tmp_path / "p")
    storage.save(lantern)
    for fails_at in (0, 1, 3):
        calls = []

        def full(_: int, fails_at: int = fails_at, calls: list = calls) -> None:
            calls.append(1)
            if len(calls) > fails_at:
                raise OSError(28, "No space left on device")

        inverted = {k: 255 - v for k, v in lantern.coverages.items()}
        with monkeypatch.context() as patch:
            patch.setattr(files.os, "fsync", full)
            with pytest.raises(ProjectError, match=r"No space left.*last save is untouched"):
                storage.save(State(lantern.project, lantern.mesh, lantern.textures, inverted, lantern.tone))
        assert equal(Storage(tmp_path / "p").open(), lantern)
    assert not list((tmp_path / "p").rglob("*.part"))


@pytest.mark.skipif(os.geteuid() == 0, reason="root may write everywhere")
def test_a_read_only_folder_is_named(tmp_path: Path) -> None:
    (tmp_path / "p").mkdir(mode=0o500)
    with pytest.raises(ProjectError, match="Permission denied"):
        Storage(tmp_path / "p").save(State())


def test_a_file_in_the_way_of_the_folder_is_named(tmp_path: Path) -> None:
    (tmp_path / "p").write_text("a file")
    with pytest.raises(ProjectError, match="could not be saved"):
        Storage(tmp_path / "p").save(State())


SAVER = """
import sys, numpy as np
from pathlib import Path
from evenpalette.core.document.state import State
from evenpalette.core.storage.storage import Storage
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.storage.autosave import Autosave
from evenpalette.core.edits import asset, regions
from evenpalette.core.raster.raster import Encoding, Raster
target, kind = Path(sys.argv[1]), sys.argv[2]
storage = Storage(target) if kind == "save" else None
autosave = Autosave(target) if kind == "autosave" else None
number = 0
while True:
    number += 1
    pixels = np.full((200, 200, 3), number % 251, np.uint8)
    pixels[::3] = np.random.default_rng(number).integers(0, 255, (67, 200, 3), np.uint8)
    state = asset.rename_project(asset.add_texture(State(), Raster(pixels, Encoding.SRGB), "paint.png"), str(number))
    storage.save(state) if storage else autosave.save(state, "")
    print(number, flush=True)
"""


@pytest.mark.parametrize("kind", ["save", "autosave"])
def test_after_kill_9_at_random_moments_the_last_completed_save_opens(tmp_path: Path, kind: str) -> None:
    random.seed(11)
    for trial in range(8):
        target = tmp_path / f"{kind}-{trial}"
        with subprocess.Popen(
            [sys.executable, "-c", SAVER, str(target), kind], stdout=subprocess.PIPE, text=True
        ) as process:
            assert process.stdout is not None
            assert process.stdout.readline().strip() == "1"
            time.sleep(random.uniform(0.02, 0.25))
            process.send_signal(signal.SIGKILL)
            completed = [1] + [int(line) for line in process.stdout.read().split()]
        if kind == "save":
            state = Storage(target).open()
        else:
            found = find_recoverable(target)
            assert len(found) == 1
            state = recover(found[0])
        saved = int(state.project.name)
        assert saved in (completed[-1], completed[-1] + 1)
        texture = state.project.asset.textures[0]
        assert state.textures[texture.id].pixels[1, 0, 0] == saved % 251


def test_a_running_program_is_not_offered_for_recovery(tmp_path: Path, lantern: State) -> None:
    autosave = Autosave(tmp_path)
    autosave.save(lantern, "/somewhere")
    assert find_recoverable(tmp_path) == []
    autosave.discard()
    assert list(tmp_path.iterdir()) == []


def test_an_autosave_that_was_cut_off_is_swept_and_one_without_its_note_is_offered(
    lantern: State, tmp_path: Path
) -> None:
    nobody = 4_000_000  # above every process number of Linux
    cut = tmp_path / f"{nobody}-1a" / "project" / "textures"
    cut.mkdir(parents=True)
    (cut / "half.png").write_bytes(b"x")
    (tmp_path / f"{os.getpid()}-2b" / "project").mkdir(parents=True)
    (tmp_path / "somebody's").mkdir()
    Storage(tmp_path / f"{nobody}-3c" / "project").save(lantern)
    found = find_recoverable(tmp_path)
    assert [item.folder.name for item in found] == [f"{nobody}-3c"]
    assert recover(found[0]).project.name == lantern.project.name
    assert sorted(p.name for p in tmp_path.iterdir()) == sorted([f"{os.getpid()}-2b", f"{nobody}-3c", "somebody's"])
