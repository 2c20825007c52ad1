"""Meshes: what the readers take, what they refuse, and what is connected."""

import contextlib
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from tests.helpers.glsl import drawn_by_opengl

from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import set_mesh, set_tile
from evenpalette.core.edits.face_sets import regions_from_mesh, set_bake
from evenpalette.core.errors import MeshFileError, RegionError
from evenpalette.core.findings.findings import find_all, mend_for
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.mesh.surface_images import surface_images
from evenpalette.core.mesh.tiles import ASIDE, WRAP, in_tile, is_aside, tiles_of
from evenpalette.core.mesh.topology import find_topology, uv_edges
from evenpalette.core.mesh.uv_raster import face_map
from evenpalette.core.storage.storage import Storage

SQUARES = b"""# two squares: a quad by negative indices, and two triangles of another material
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0 0
vt 0.5 0
vt 0.5 0.5
vt 0 0.5
usemtl cloth
f -4/-4 -3/-3 -2/-2 -1/-1
usemtl wood
v 3 0 0
v 4 0 0
v 4 1 0
v 3 1 0
f 5/1 6/2 7/3
f 5/1 7/3 8/4
"""


def test_obj_keeps_groups_polygons_and_negative_indices() -> None:
    mesh = parse_mesh(SQUARES, "squares.obj")
    topology = find_topology(mesh)
    assert mesh.face_count == 4
    assert mesh.group_names == ("cloth", "wood")
    assert mesh.groups.tolist() == [0, 0, 1, 1]
    assert topology.shell_count == 2
    assert topology.shells.tolist() == [0, 0, 1, 1]
    assert sorted(map(tuple, topology.neighbors.tolist())) == [(0, 1), (2, 3)]
    assert mesh.uvs is not None
    # v runs down: the file's lower left corner is the first texel of the last row.
    assert mesh.uvs[0, 0].tolist() == [0.0, 1.0]
    assert np.abs(mesh.uv_areas()) == pytest.approx([0.125] * 4)
    assert mesh.normals[0, 0].tolist() == [0, 0, 1]


def test_glb_and_ply_written_by_trimesh_read_back() -> None:
    ball = trimesh.creation.icosphere(2)
    uv = ball.vertices[:, :2] * 0.4 + 0.5
    textured = ball.copy()
    textured.visual = trimesh.visual.TextureVisuals(uv=uv)
    scene = trimesh.Scene()
    scene.add_geometry(textured, transform=trimesh.transformations.translation_matrix((5, 0, 0)))
    mesh = parse_mesh(scene.export(file_type="glb"), "ball.glb")
    assert mesh.face_count == 320
    assert len(mesh.positions) == 162
    assert mesh.positions[:, 0].min() == pytest.approx(4, abs=1e-3)
    assert mesh.uvs is not None
    assert np.abs((mesh.uvs[:, 0, 0] - 0.5) * 2.5 + 5 - mesh.positions[mesh.faces[:, 0], 0]).max() < 1e-4
    ball.visual.vertex_colors = np.tile([255, 128, 0, 255], (len(ball.vertices), 1))
    colored = parse_mesh(ball.export(file_type="ply"), "ball.ply")
    assert colored.colors is not None
    assert colored.colors[0, 0] == pytest.approx([1, 128 / 255, 0, 1])
    assert find_topology(colored).shell_count == 1


@pytest.mark.parametrize(
    ("content", "name", "problem"),
    [
        (b"", "a.obj", "empty"),
        (b"hello", "a.obj", "no vertices"),
        (b"v 0 0 0\nv 1 0 0\nv 0 1 0\n", "a.obj", "no faces"),
        (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "a.obj", "do not exist"),
        (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 -9\n", "a.obj", "do not exist"),
        (b"v 0 0 0\nv nan 0 0\nv 0 1 0\nf 1 2 3\n", "a.obj", "not numbers"),
        (b"v 0 0 0\nv 1 0 zero\n", "a.obj", "line 2"),
        (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nf 1/7 2/7 3/7\n", "a.obj", "UVs that do not exist"),
        (b"ply\nformat ascii 1.0\nend_header\n", "a.ply", "a.ply"),
        (b"not a ply", "a.ply", "not a PLY"),
        (b"glTF\x02\0\0\0\xff\xff\0\0", "a.glb", "cut short"),
        (b"glTF\x02\0\0\0\x10\0\0\0abcd", "a.glb", "a.glb"),
        (b"x", "a.fbx", "can be read from"),
    ],
)
def test_a_bad_mesh_gives_one_clear_message_with_its_name(content: bytes, name: str, problem: str) -> None:
    with pytest.raises(MeshFileError, match=problem) as caught:
        parse_mesh(content, name)
    assert name in str(caught.value)
    assert "\n" not in str(caught.value)


def test_faces_under_texels_are_those_that_opengl_draws(lantern: State) -> None:
    assert lantern.mesh is not None
    uvs = lantern.mesh.mesh.uvs
    assert uvs is not None
    drawn, ours = drawn_by_opengl(uvs, np.arange(len(uvs)), 256), face_map(uvs, 256, 256)
    assert ((ours >= 0) == (drawn >= 0)).mean() > 0.999
    assert (ours == drawn).mean() > 0.998


def test_neighbors_share_no_texel_and_lose_none() -> None:
    """The top-left rule (Vulkan specification, basic polygon rasterization) on a fan whose edges hit texel centers."""
    center, ring = (0.5, 0.5), [(0, 0), (0.5, 0), (1, 0), (1, 0.5), (1, 1), (0.5, 1), (0, 1), (0, 0.5)]
    fan = np.array([[center, ring[i], ring[(i + 1) % 8]] for i in range(8)], np.float32)
    each = [face_map(fan[i : i + 1], 16, 16) >= 0 for i in range(8)]
    assert (np.sum(each, axis=0) == 1).all()


def test_uv_lines_tell_borders_from_inner_edges() -> None:
    mesh = parse_mesh(SQUARES, "squares.obj")
    ends, border = uv_edges(mesh)
    assert border.sum() == 8
    assert (~border).sum() == 2
    # Of a square that is put aside no line is left, and of both none at all.
    aside = mesh.uvs.copy()
    aside[:2] = ASIDE
    left, border = uv_edges(replace(mesh, uvs=aside))
    assert (border.sum(), (~border).sum()) == (4, 1)
    assert {line.tobytes() for line in left} <= {line.tobytes() for line in ends}
    assert not len(uv_edges(replace(mesh, uvs=np.full_like(aside, ASIDE)))[0])


def test_a_stream_of_random_bytes_never_escapes_as_another_error() -> None:
    rng = np.random.default_rng(0)
    good = {
        "a.glb": trimesh.creation.box().export(file_type="glb"),
        "a.ply": trimesh.creation.box().export(file_type="ply"),
    }
    for name, content in good.items():
        for _ in range(60):
            broken = bytearray(content)
            for place in rng.integers(0, len(broken), 6):
                broken[place] = rng.integers(0, 256)
            with contextlib.suppress(MeshFileError):
                parse_mesh(bytes(broken), name)


def test_maps_of_a_mesh_say_where_which_way_which_island_and_how_dense() -> None:
    mesh = parse_mesh(SQUARES, "squares.obj")
    maps = surface_images(mesh, find_topology(mesh), 64, padding_texels=0)
    # Both squares lie on the same quarter of the texture; the later one shows. It spans x 3 to 4 of a box 0 to 4.
    here = (0.25, 0.75)
    y, x = int(here[1] * 64), int(here[0] * 64)
    assert maps["position"].pixels[y, x] == pytest.approx([3.5078 / 4, 0.4922 / 4, 0], abs=0.003)
    assert maps["normal"].pixels[y, x] / 65535 * 2 - 1 == pytest.approx([0, 0, 1], abs=1e-4)
    assert maps["island"].pixels[y, x, 0] == 2
    # A unit of length is half the texture: 32 texels of 64.
    assert maps["density"].pixels[y, x, 0] == pytest.approx(32)
    assert maps["island"].pixels[5, 60, 0] == 0


def tiled_obj(*origins: tuple[int, int]) -> bytes:
    """A square in each of these UV tiles, v up as OBJ has it."""
    lines: list[str] = []
    for index, (u, v) in enumerate(origins):
        lines += [f"v {x + 2 * index} {y} 0" for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
        lines += [f"vt {u + x} {v + y}" for x, y in ((0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9))]
        k = 4 * index
        lines.append("f " + " ".join(f"{k + i}/{k + i}" for i in (1, 2, 3, 4)))
    return "\n".join(lines).encode()


def test_uv_tiles_are_named_chosen_and_wrapped(tmp_path: Path) -> None:
    mesh = parse_mesh(tiled_obj((0, 0), (1, 0), (0, 1), (-1, 3)), "board.obj")
    assert tiles_of(mesh) == {"1001": 2, "1002": 2, "1011": 2, "(-1, 3)": 2}
    assert mesh.uvs is not None
    second = in_tile(mesh, "1002")
    assert second.uvs is not None
    inside = ((second.uvs >= 0) & (second.uvs <= 1)).all((1, 2))
    assert np.flatnonzero(inside).tolist() == [2, 3]
    assert np.abs(second.uvs[2:4] - mesh.uvs[:2]).max() < 1e-6
    wrapped = in_tile(mesh, WRAP)
    assert wrapped.uvs is not None
    assert all(np.abs(wrapped.uvs[2 * i : 2 * i + 2] - mesh.uvs[:2]).max() < 1e-6 for i in range(4))
    assert tiles_of(wrapped) == tiles_of(mesh), "what the file has stays known"
    with pytest.raises(MeshFileError, match="no face in tile 1005"):
        in_tile(mesh, "1005")
    # Through the document: refused, then baked for a tile, saved and opened again.
    state = set_bake(set_mesh(State(), mesh), size=64)
    with pytest.raises(RegionError, match="Choose the tile to work in"):
        regions_from_mesh(state, "shell")
    one = regions_from_mesh(set_tile(state, "1011"), "shell")
    shares = [plane.mean() / 255 for plane in one.coverages.values()]
    assert shares[2] > 0.9
    assert max(shares[:2] + shares[3:]) == 0
    Storage(tmp_path / "tiled").save(one)
    back = Storage(tmp_path / "tiled").open()
    assert back.mesh is not None
    assert back.mesh.mesh.tile == "1011"
    assert one.mesh is not None
    assert np.array_equal(back.mesh.mesh.uvs, one.mesh.mesh.uvs)
    # The file read again keeps the choice; '' goes back to the layout of the file.
    assert set_mesh(one, mesh).mesh.mesh.tile == "1011"  # type: ignore[union-attr]
    assert np.array_equal(set_tile(set_tile(state, "1002"), "").mesh.mesh.uvs, mesh.uvs)  # type: ignore[union-attr]
    with pytest.raises(RegionError, match="Choose the tile to work in"):
        set_tile(one, "")


def test_a_few_faces_outside_the_tile_are_wrapped_by_a_mend() -> None:
    state = set_mesh(State(), parse_mesh(tiled_obj((0, 0), (0, 0), (0, 0), (4, -2)), "board.obj"))
    finding = next(f for f in find_all(state) if f.code == "uv-outside")
    mend = mend_for(state, finding)
    assert mend is not None
    assert not [f for f in find_all(mend[1](state)) if f.code.startswith("uv-")]
    # Strays that reach over tiles would cover everything when wrapped: they are left out.
    mesh = parse_mesh(tiled_obj((0, 0), (0, 0), (0, 0), (4, -2)), "board.obj")
    assert mesh.uvs is not None
    uvs = mesh.uvs.copy()
    uvs[-1] *= 3
    stray = set_mesh(State(), replace(mesh, uvs=uvs, source_bytes=b""))
    mend = mend_for(stray, next(f for f in find_all(stray) if f.code == "uv-outside"))
    assert mend is not None
    left = mend[1](stray)
    assert not [f for f in find_all(left) if f.code.startswith("uv-")]
    assert left.mesh is not None
    assert np.flatnonzero(is_aside(left.mesh.mesh)).tolist() == [6, 7]
    spread = set_mesh(State(), parse_mesh(tiled_obj((0, 0), (1, 0), (2, 0)), "board.obj"))
    assert mend_for(spread, next(f for f in find_all(spread) if f.code == "uv-outside")) is None
