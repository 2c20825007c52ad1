"""Rows at a distance and in real demos: no border between regions of one color, and kit and map stay together."""

import json
import shutil
from pathlib import Path

import numpy as np
import pytest

from evenpalette.core.delivery.mip_truth import measure_mips
from evenpalette.core.document.project import VERSION
from evenpalette.core.document.state import State
from evenpalette.core.edits.recipe import add_row, add_step, bind_input
from evenpalette.core.edits.regions import set_overlap
from evenpalette.core.raster import mips
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.mips import MipKind, mip_chain
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.regions.overlap import Overlap
from evenpalette.core.storage.demo_files import copy_demo, demo_names
from evenpalette.core.storage.storage import Storage

VERSION_1 = Path(__file__).parents[2] / "data" / "version-1"


@pytest.fixture(scope="module", params=demo_names())
def demo(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> State:
    return Storage(copy_demo(tmp_path_factory.mktemp("demo"), request.param)).open()


def one_color(state: State, kind: str) -> tuple[State, State]:
    """The demo with one step that gives every region the same dark color, by rows and as one."""
    bare = state.with_project(recipe=state.project.recipe.model_copy(update={"steps": (), "parameters": ()}))
    first, *others = state.region_ids
    rows = add_step(bare, kind, (first,), step_id="rows")
    for region in others:
        rows = add_row(rows, "rows", (region,))
    for row in rows.project.recipe.steps[0].rows:
        rows = bind_input(rows, "rows", "color", Binding(value="#202020"), row.id)
    whole = add_step(bare, kind, None, step_id="whole")
    return rows, bind_input(whole, "whole", "color", Binding(value="#202020"), None)


@pytest.mark.parametrize("overlap", list(Overlap))
@pytest.mark.parametrize("kind", ["tint", "replace"])
def test_no_border_in_the_demos_at_any_mip_level(demo: State, kind: str, overlap: Overlap) -> None:
    rows, whole = one_color(set_overlap(demo, overlap), kind)
    width, height = rows.sources.size
    for level in range(7):
        sources = rows.sources.at_size(width >> level, height >> level)
        a = evaluate(rows.bound_steps(None), sources).pixels.astype(int)
        b = evaluate(whole.bound_steps(None), sources).pixels.astype(int)
        # Where no region is, as in gutters beyond the padding, the rows leave what was there.
        inside = np.sum(list(sources.coverages), 0, dtype=int) >= 254
        assert inside.mean() > 0.5
        assert np.abs(a - b)[inside].max() <= 1


def test_kit_and_map_stay_together_at_a_distance(demo: State) -> None:
    for variant in demo.project.variants:
        gaps = measure_mips(demo, variant.id)
        assert {gap.level for gap in gaps} == {1, 2, 3}
        assert all(gap.mean <= 1.0 for gap in gaps if not gap.region)
        assert {gap.region for gap in gaps} - {""} <= set(demo.region_ids)


@pytest.mark.parametrize("name", ["moth-lantern", "pennant"])
def test_a_version_1_project_opens_looks_as_it_did_and_is_saved_as_version_2(name: str, tmp_path: Path) -> None:
    """The pictures beside the project were made by version 1."""
    storage = Storage(VERSION_1 / name)
    state = storage.open()
    assert "became one with rows" in storage.note
    planes = np.stack(list(state.coverages.values())).astype(int)
    pure = (planes.max(0) == 255) & (planes.sum(0) == 255)
    assert pure.mean() > 0.6
    for picture in sorted((VERSION_1 / name / "expected").iterdir()):
        variant = next(v.id for v in state.project.variants if v.name == picture.stem)
        now = evaluate(state.bound_steps(variant), state.working).pixels.astype(int)
        apart = np.abs(now - read_image(picture).pixels).max(-1)
        assert (apart[pure] <= 1).mean() > 0.999
    Storage(tmp_path / "new").save(state)
    raw = json.loads((tmp_path / "new" / "project.json").read_text())
    assert raw["version"] == VERSION
    assert Storage(tmp_path / "new").open().project == state.project


def test_version_1_hue_shifts_keep_their_look(tmp_path: Path) -> None:
    """Angles in YIQ change sign; a parameter that OKLCh follows too gets a turned twin, with the variants' values."""
    folder = tmp_path / "p"
    shutil.copytree(VERSION_1 / "moth-lantern", folder)
    raw = json.loads((folder / "project.json").read_text())
    drift = next(s for s in raw["recipe"]["steps"] if s["kind"] == "hue_shift")
    shared = drift["inputs"]["angle"]["parameter"]
    twin = json.loads(json.dumps(drift)) | {"id": "step-other", "name": "Other"}
    twin["inputs"]["space"] = {"parameter": None, "value": "OKLCh"}
    raw["recipe"]["steps"].append(twin)
    (folder / "project.json").write_text(json.dumps(raw))
    state = Storage(folder).open()
    old = {v["name"]: v["values"].get(shared) for v in raw["variants"]}["Harbour Night, old"]
    variant = next(v for v in state.project.variants if v.name == "Harbour Night, old")
    angles = {s.step_id: s.rows[0].values["angle"] for s in state.bound_steps(variant.id) if s.kind.key == "hue_shift"}
    assert angles == {drift["id"]: -old, "step-other": old}


def test_the_measure_finds_what_is_not_linear(demo: State) -> None:
    """A strong grade on a mixed mask parts kit and map, and the measure says where."""
    shift = add_step(demo, "grade", (demo.region_ids[0],), step_id="hard")
    shift = bind_input(shift, "hard", "contrast", Binding(value=2.0))
    gaps = measure_mips(shift, None)
    calm = measure_mips(demo, None)
    assert gaps[0].worst > calm[0].worst
    u, v = gaps[0].place
    assert 0 <= u <= 1
    assert 0 <= v <= 1


@pytest.mark.parametrize(
    ("shape", "dtype", "encoding"),
    [
        ((64, 50, 4), np.uint8, Encoding.SRGB),
        ((62, 33, 1), np.uint16, Encoding.DATA),
        ((33, 20, 3), np.uint8, Encoding.SRGB),
    ],
)
def test_a_level_that_is_averaged_by_strips_is_the_same(
    shape: tuple[int, ...], dtype: type, encoding: Encoding, monkeypatch: pytest.MonkeyPatch
) -> None:
    pixels = np.random.default_rng(3).integers(0, np.iinfo(dtype).max, shape, endpoint=True).astype(dtype)
    for kind in MipKind:
        whole = mip_chain(Raster(pixels, encoding), kind)
        with monkeypatch.context() as small:
            small.setattr(mips, "_STRIP_TEXELS", 150)
            strips = mip_chain(Raster(pixels.copy(), encoding), kind)
        assert len(whole.levels) == len(strips.levels) > 5
        for one, other in zip(whole.levels, strips.levels, strict=True):
            np.testing.assert_array_equal(one.pixels, other.pixels)
