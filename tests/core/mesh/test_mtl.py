"""What the materials of an OBJ bring along, by the Wavefront MTL description (Library of Congress, fdd000508)."""

from pathlib import Path

import numpy as np
import pytest
import trimesh
from PIL import Image

from evenpalette.cli import main
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset_file import take_asset
from evenpalette.core.mesh.asset_file import read_asset
from evenpalette.core.storage.storage import Storage

OBJ = """mtllib lantern.mtl
mtllib  lost.mtl
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
usemtl Paper
f 1/1 2/2 3/3
usemtl Dark  wood
f 1/1 3/3 4/4
usemtl Wood too
f 2/2 3/3 4/4
usemtl Wax
f 1/1 2/2 4/4
"""
MTL = r"""
# by hand
newmtl Paper
Kd 0.8 0.8 0.8
map_Kd -clamp on -o 0.5 0 -s 1 1 1 .\pictures\paper lit.png
norm paper_normal.png
newmtl Dark wood
	map_Kd C:\jobs\wood.png
map_Bump -bm 0.4 wood_bump.png
newmtl Wood too
map_kd wood.png
bump -bm 0.4 wood_bump.png
newmtl Wax
Kd 0.9 0.5 0.1
map_Kd ../gone.png
"""


@pytest.fixture
def lantern(tmp_path: Path) -> Path:
    (tmp_path / "pictures").mkdir()
    (tmp_path / "lantern.obj").write_text(OBJ)
    (tmp_path / "lantern.mtl").write_text(MTL)
    for number, name in enumerate(("pictures/paper lit.png", "paper_normal.png", "wood.png", "wood_bump.png")):
        Image.fromarray(np.full((8, 8, 3), (40 * number + 60, 120, 200), np.uint8)).save(tmp_path / name)
    return tmp_path / "lantern.obj"


def test_groups_that_name_the_same_textures_are_a_sheet_with_them_in_their_roles(lantern: Path) -> None:
    file = read_asset(lantern)
    paper, wood = file.sheets
    assert (paper.groups, wood.groups) == (("Paper", "Wax"), ("Dark wood", "Wood too"))
    assert [(t.name, t.role, t.source) for t in paper.textures] == [
        ("paper lit.png", "painted color", str(lantern.parent / "pictures/paper lit.png")),
        ("paper_normal.png", "normal", str(lantern.parent / "paper_normal.png")),
    ]
    # A name of another machine is looked for beside the file.
    assert [(t.name, t.role) for t in wood.textures] == [("wood.png", "painted color"), ("wood_bump.png", "height")]
    assert any("gone.png" in note and "does not exist" in note for note in file.notes)
    assert any("Wax" in note and "kept with Paper" in note for note in file.notes)
    state = take_asset(State(), file, str(lantern))
    assert [sheet.name for sheet in state.project.sheets] == ["Paper", "Dark wood"]
    painted = state.project.asset.with_role(Role.PAINTED)[0]
    assert state.textures[painted.id].pixels[3, 3].tolist() == [60, 120, 200], "Kd does not darken a texture"
    assert painted.source_path == str(lantern.parent / "pictures/paper lit.png")


def test_without_its_library_or_its_pictures_it_is_a_mesh_as_before(lantern: Path) -> None:
    for picture in (*lantern.parent.glob("*.png"), *lantern.parent.glob("pictures/*.png")):
        picture.unlink()
    assert (read_asset(lantern).sheets, read_asset(lantern).notes) == ((), ())
    lantern.with_suffix(".mtl").unlink()
    assert read_asset(lantern).mesh.group_names == ("Paper", "Dark wood", "Wood too", "Wax")


def test_what_is_named_on_the_command_line_too_is_brought_once(
    lantern: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    wood = lantern.parent / "wood.png"
    words = ["new", str(tmp_path / "made"), "--mesh", str(lantern), "--texture", f"{wood}=other-color"]
    assert main(words) == 0, capsys.readouterr().err
    sheets = Storage(tmp_path / "made").open().project.sheets
    assert [[(t.name, t.role) for t in sheet.textures] for sheet in sheets] == [
        [("paper lit.png", Role.PAINTED), ("paper_normal.png", Role.NORMAL)],
        [("wood.png", Role.COLOR), ("wood_bump.png", Role.HEIGHT)],
    ]


def test_what_another_program_wrote_comes_with_its_picture(tmp_path: Path) -> None:
    """trimesh's own exporter: a library beside the file, and the picture beside that."""
    square = trimesh.Trimesh([[0, 0, 0], [1, 0, 0], [1, 1, 0]], [[0, 1, 2]], process=False)
    material = trimesh.visual.material.SimpleMaterial(
        image=Image.fromarray(np.full((8, 8, 3), (90, 140, 200), np.uint8))
    )
    square.visual = trimesh.visual.TextureVisuals(uv=[[0, 0], [1, 0], [1, 1]], material=material)
    square.export(tmp_path / "square.obj")
    state = take_asset(State(), read_asset(tmp_path / "square.obj"))
    (texture,) = state.project.asset.textures
    assert texture.role is Role.PAINTED
    assert state.textures[texture.id].pixels[3, 3].tolist() == [90, 140, 200]


def test_no_link_leads_out_of_the_folder(lantern: Path, tmp_path_factory: pytest.TempPathFactory) -> None:
    elsewhere = tmp_path_factory.mktemp("elsewhere") / "wood.png"
    (lantern.parent / "wood.png").rename(elsewhere)
    (lantern.parent / "wood.png").symlink_to(elsewhere)
    file = read_asset(lantern)
    assert "wood.png" not in [t.name for sheet in file.sheets for t in sheet.textures]
    assert any("leads out of its own folder" in note for note in file.notes)
