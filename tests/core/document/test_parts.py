"""Parts between sheets, UV sets of a file, and source files that moved."""

import ast
import shutil
from pathlib import Path

import numpy as np
import pytest
from tests.helpers.gltf import UVS, Writer, png, two_materials

import evenpalette
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import (
    add_texture,
    find_sources,
    missing_sources,
    move_groups,
    point_to,
    set_mesh,
    set_uv_set,
)
from evenpalette.core.edits.asset_file import take_asset
from evenpalette.core.edits.face_sets import regions_from_mesh
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.mesh.asset_file import parse_asset
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.storage.storage import Storage


def two_uv_sets() -> bytes:
    """A square whose material is laid by its second UV set."""
    made = Writer()
    base = {"index": made.image(png((5, 6, 7))), "texCoord": 1}
    made.tree["materials"] = [{"name": "M", "pbrMetallicRoughness": {"baseColorTexture": base}}]
    made.square(0, extra={"TEXCOORD_1": made.accessor(np.ascontiguousarray(UVS * 0.5, np.float32))})
    return made.glb()


def home_of(state: State, group: str) -> str:
    sheet = state.project.sheet_of(group)
    assert sheet is not None
    return sheet.id


def test_a_part_moves_to_a_new_sheet_and_back_with_what_was_made_of_its_faces(tmp_path: Path) -> None:
    state = take_asset(State(), parse_asset(two_materials().glb(), "two.glb"), sheets=False)
    first, second = state.mesh.mesh.group_names[:2]
    state = regions_from_mesh(state, "material")
    here, regions = state.sheet.id, state.region_ids
    covered = {key: plane.copy() for key, plane in state.coverages.items()}
    moved = move_groups(state, (second,), None, "Lid")
    assert [s.name for s in moved.project.sheets] == [state.sheet.name, "Lid"]
    assert home_of(moved, second) == moved.sheet.id != home_of(moved, first)
    assert moved.region_ids == []
    left = moved.on(here)
    assert left.region_ids == regions
    assert left.coverages[regions[0]].any()
    assert not left.coverages[regions[1]].any(), "its faces are on another sheet now"
    Storage(tmp_path / "p").save(moved)
    opened = Storage(tmp_path / "p").open()
    assert home_of(opened, second) == moved.sheet.id
    back = move_groups(opened, (second,), here)
    assert len(back.project.sheets) == 1, "a sheet without parts and without work goes"
    assert back.sheet.groups is None
    for key, plane in covered.items():
        assert np.array_equal(back.coverages[key], plane)
    with pytest.raises(EvenPaletteError, match="no longer"):
        move_groups(state, (first,), "sheet-none")


def test_a_uv_set_is_chosen_kept_on_disk_and_when_the_file_is_read_again(tmp_path: Path) -> None:
    state = set_mesh(State(), parse_asset(two_uv_sets(), "sets.glb").mesh, "sets.glb")
    own = state.mesh.mesh.uvs
    assert state.mesh.mesh.uv_sets == 2
    first, second = (set_uv_set(state, number) for number in (0, 1))
    assert np.array_equal(own, second.mesh.mesh.uvs), "its material names the second"
    assert not np.array_equal(first.mesh.mesh.uvs, own)
    Storage(tmp_path / "p").save(first)
    opened = Storage(tmp_path / "p").open()
    assert np.array_equal(opened.mesh.mesh.uvs, first.mesh.mesh.uvs)
    again = set_mesh(opened, parse_asset(two_uv_sets(), "sets.glb").mesh, opened.project.mesh.source_path)
    assert np.array_equal(again.mesh.mesh.uvs, first.mesh.mesh.uvs)
    assert np.array_equal(set_uv_set(again, None).mesh.mesh.uvs, own)


def test_sources_beside_a_project_move_with_it_and_lost_ones_are_found_in_a_folder(tmp_path: Path) -> None:
    work = tmp_path / "work"
    (work / "art").mkdir(parents=True)
    raster = Raster(np.full((4, 4, 3), 90, np.uint8), Encoding.SRGB)
    far = tmp_path / "far.png"
    for path in (work / "art" / "tin.png", far):
        write_image(raster, path)
    state = add_texture(State(), raster, "tin.png", source_path=str(work / "art" / "tin.png"))
    state = add_texture(state, raster, "far.png", source_path=str(far))
    Storage(work / "project").save(state)
    text = (work / "project" / "project.json").read_text()
    assert '"../art/tin.png"' in text
    assert str(far) in text
    shutil.move(work, tmp_path / "moved")
    opened = Storage(tmp_path / "moved" / "project").open()
    assert opened.project.asset.textures[0].source_path == str(tmp_path / "moved" / "art" / "tin.png")
    assert missing_sources(opened) == []
    (tmp_path / "deep" / "er").mkdir(parents=True)
    shutil.move(far, tmp_path / "deep" / "er" / "far.png")
    assert missing_sources(opened) == [str(far)]
    found = find_sources(missing_sources(opened), tmp_path / "deep")
    pointed = point_to(opened, found)
    assert missing_sources(pointed) == []
    assert pointed.project.asset.textures[1].source_path.endswith("deep/er/far.png")
    assert find_sources(["/nowhere/else.png"], tmp_path) == {}


def test_nobody_asks_for_the_active_sheet() -> None:
    """A state is on a sheet, and this one is handed on: which was left last is known to what opens and saves."""
    root = Path(evenpalette.__file__).parent
    asks = {
        str(path.relative_to(root))
        for path in root.rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.Attribute) and node.attr == "sheet"
        if isinstance(node.value, ast.Attribute | ast.Name)
        if (node.value.attr if isinstance(node.value, ast.Attribute) else node.value.id) == "project"
    }
    assert asks == {"core/document/state.py", "core/storage/storage.py"}
