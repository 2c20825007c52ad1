"""glTF files as several writers make them, written here byte by byte: what they bring along, and in which roles."""

import base64
import json
import os
import re
import resource
import sys
from pathlib import Path

import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree
from tests.helpers.gltf import FACES, POSITIONS, UVS, Writer, png, two_materials

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import set_mesh
from evenpalette.core.edits.asset_file import take_asset
from evenpalette.core.errors import MeshFileError, ProjectError
from evenpalette.core.findings.findings import find_all
from evenpalette.core.limits import Limits
from evenpalette.core.mesh.asset_file import read_asset
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.raster.image_read import decode_image
from evenpalette.core.storage.storage import Storage


def test_a_glb_brings_its_textures_in_their_roles_on_its_sheets(tmp_path: Path) -> None:
    (tmp_path / "case.glb").write_bytes(two_materials().glb())
    state = take_asset(State(), read_asset(tmp_path / "case.glb"), "case.glb")
    first, second = state.project.sheets
    assert (first.groups, second.groups) == (("Case",), ("Badge", "Badge rim"))
    assert [(t.role, t.name) for t in first.textures] == [
        (Role.PAINTED, "Case_BaseColor.png"), (Role.PACKED, "Case_ORM.png"), (Role.NORMAL, "Case_N.png"), (Role.EMISSIVE, "Case_Lamp.png"),
    ]  # fmt: skip
    assert first.textures[1].channels == ("occlusion", "roughness", "metallic")
    # Factors are multiplied in, in linear light for color; what has no texture is a number of the sheet.
    painted = state.textures[first.textures[0].id].as_linear_rgb()[0, 0]
    assert painted == pytest.approx(decode_srgb(np.array([200, 100, 50]) / 255) * [0.5, 1, 1], abs=2e-3)
    assert state.textures[first.textures[1].id].pixels[0, 0].tolist() == [255, 64, 64]
    assert second.factors == {"roughness": (pytest.approx(0.3),), "metallic": (0.0,)}
    # The surface begins with all of it, in evaluation too.
    from evenpalette.core.recipe.evaluate import evaluate_surface

    made = evaluate_surface([], state.sources, ["roughness", "metallic", "occlusion", "emissive"], float_output=True)
    assert made["roughness"].pixels[4, 4, 0] == pytest.approx(64 / 255)
    assert made["metallic"].pixels[4, 4, 0] == pytest.approx(64 / 255)
    assert made["occlusion"].pixels[4, 4, 0] == 1
    assert made["emissive"].pixels[4, 4] == pytest.approx([4, 2, 0])
    badge = state.on(second.id)
    assert badge.attributes[:4] == ("base_color", "opacity", "metallic", "roughness")
    assert evaluate_surface([], badge.sources, ["roughness"])["roughness"].pixels[2, 2, 0] in (76, 77)
    # A project keeps it all.
    Storage(tmp_path / "p").save(state)
    opened = Storage(tmp_path / "p").open()
    assert opened.project.sheets == state.project.sheets
    assert opened.mesh is not None
    assert opened.mesh.whole.mesh.face_count == 6


def test_a_gltf_with_files_beside_it_and_data_uris_is_the_same_mesh(tmp_path: Path) -> None:
    made = two_materials()
    whole = parse_mesh(made.glb(), "case.glb")
    tree = json.loads(json.dumps(made.tree))
    tree["buffers"] = [{"byteLength": len(made.blob), "uri": "case%20data.bin"}]
    (tmp_path / "case data.bin").write_bytes(made.blob)
    tree["images"][0] = {"uri": "painted.png"}
    (tmp_path / "painted.png").write_bytes(png((1, 2, 3)))
    tree["images"][4] = {"uri": "data:image/png;base64," + base64.b64encode(png((9, 9, 9))).decode()}
    (tmp_path / "case.gltf").write_text(json.dumps(tree))
    file = read_asset(tmp_path / "case.gltf")
    assert np.array_equal(file.mesh.positions, whole.positions)
    assert file.sheets[0].textures[0].name == "painted.png"
    # What a project keeps of it needs no other file.
    again = parse_mesh(file.mesh.source_bytes, "mesh.glb")
    assert np.array_equal(again.faces, whole.faces)
    assert again.uvs is not None
    assert np.array_equal(again.uvs, whole.uvs)


def test_a_mesh_without_the_parts_of_a_sheet_is_found(tmp_path: Path) -> None:
    (tmp_path / "case.glb").write_bytes(two_materials().glb())
    state = take_asset(State(), read_asset(tmp_path / "case.glb"), "case.glb")
    assert "bare-sheet" not in {finding.code for finding in find_all(state)}
    other = Writer()
    other.square()
    found = {
        finding.code: finding.text
        for finding in find_all(set_mesh(state, parse_mesh(other.glb(), "square.glb"), "square.glb"))
    }
    assert "square.glb has none of the parts of the sheet Case" in found["bare-sheet"]


@pytest.mark.parametrize(("mode", "order", "expected"), [
    (5, [0, 1, 3, 2], [[0, 1, 3], [1, 2, 3]]),
    (5, [0, 1, 3, 3, 3, 1, 2], [[0, 1, 3], [1, 2, 3]]),
    (6, [0, 1, 2, 3], [[1, 2, 0], [2, 3, 0]]),
])  # fmt: skip
def test_strips_and_fans_are_the_triangles_that_they_string_together(
    mode: int, order: list[int], expected: list
) -> None:
    """glTF 2.0 section 3.7.2.1; strips are joined by triangles without area (common practice)."""
    made = Writer()
    made.square()
    made.tree["meshes"][0]["primitives"][0].update(indices=made.accessor(np.array(order, np.uint16)), mode=mode)
    mesh = parse_mesh(made.glb(), "square.glb")
    corners = mesh.positions[mesh.faces]
    assert sorted(map(sorted, corners.tolist())) == sorted(map(sorted, POSITIONS[np.array(expected)].tolist()))
    assert (np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2] > 0).all(), (
        "all face the same way"
    )


def test_files_outside_its_own_folder_are_not_read(tmp_path: Path) -> None:
    made = two_materials()
    (tmp_path / "secret.bin").write_bytes(made.blob)
    folder = tmp_path / "inside"
    folder.mkdir()
    for uri in ("../secret.bin", "/etc/passwd", "%2e%2e/secret.bin", "file:///etc/passwd"):
        made.tree["buffers"] = [{"byteLength": len(made.blob), "uri": uri}]
        (folder / "a.gltf").write_text(json.dumps(made.tree))
        with pytest.raises(MeshFileError, match="own folder"):
            read_asset(folder / "a.gltf")
    (folder / "link.bin").symlink_to(tmp_path / "secret.bin")
    (folder / "up").symlink_to(tmp_path)
    for uri in ("link.bin", "up/secret.bin"):
        made.tree["buffers"] = [{"byteLength": len(made.blob), "uri": uri}]
        (folder / "a.gltf").write_text(json.dumps(made.tree))
        with pytest.raises(MeshFileError, match="a link there leads out of its own folder"):
            read_asset(folder / "a.gltf")


def test_quantized_sparse_transformed_and_second_uv_sets(tmp_path: Path) -> None:
    made = Writer()
    made.tree["extensionsUsed"] = made.tree["extensionsRequired"] = ["KHR_mesh_quantization", "KHR_texture_transform"]
    texture = made.image(png((5, 6, 7)))
    transform = {"offset": [0.25, 0.5], "rotation": np.pi / 2, "scale": [0.5, 2]}
    made.tree["materials"] = [{"name": "M", "pbrMetallicRoughness": {"baseColorTexture": {
        "index": texture, "texCoord": 1, "extensions": {"KHR_texture_transform": transform},
    }}}]  # fmt: skip
    second = (UVS[::-1] * 65535).astype(np.uint16)
    made.square(0, extra={"TEXCOORD_1": made.accessor(second, normalized=True)})
    # Positions as 16-bit numbers, scaled by the node; the third one is put in its place by a sparse accessor.
    flat = (POSITIONS * 1000).astype(np.int16)
    flat[2] = 0
    primitive = made.tree["meshes"][0]["primitives"][0]
    primitive["attributes"]["POSITION"] = made.accessor(np.pad(flat, ((0, 0), (0, 1)))[:, :3])
    made.tree["accessors"][-1]["sparse"] = {
        "count": 1, "indices": {"bufferView": made.view(np.array([2], np.uint16).tobytes()), "componentType": 5123},
        "values": {"bufferView": made.view(np.array([[1000, 1000, 0]], np.int16).tobytes())},
    }  # fmt: skip
    made.tree["nodes"][0] |= {"scale": [0.001, 0.001, 0.001], "translation": [0, 5, 0]}
    (tmp_path / "a.glb").write_bytes(made.glb())
    mesh = read_asset(tmp_path / "a.glb").mesh
    corners = mesh.positions[mesh.faces].reshape(-1, 3)
    assert corners == pytest.approx(POSITIONS[FACES] + [0, 5, 0], abs=1e-5)
    # KHR_texture_transform, by its own matrices: translation * rotation * scale.
    cos, sin = np.cos(np.pi / 2), np.sin(np.pi / 2)
    rotation = np.array([[cos, sin], [-sin, cos]])
    expected = (UVS[::-1][FACES] * [0.5, 2]) @ rotation.T + [0.25, 0.5]
    assert mesh.uvs is not None
    assert mesh.uvs.reshape(-1, 2) == pytest.approx(expected, abs=1e-4)


def test_what_is_left_out_is_said(tmp_path: Path) -> None:
    made = two_materials()
    made.tree["skins"] = [{"joints": [0]}]
    made.tree["meshes"][0]["primitives"][0]["targets"] = [{"POSITION": 0}]
    (tmp_path / "a.glb").write_bytes(made.glb())
    assert read_asset(tmp_path / "a.glb").notes == ("bones and morph targets are left out; the mesh is in its rest",)
    # A picture for which there is no decoder is left out by name, the others are there.
    made.tree["textures"][0] = {"extensions": {"KHR_texture_basisu": {"source": 0}}}
    made.blob = made.blob.replace(
        png((200, 100, 50)), (b"\xabKTX 20\xbb\r\n\x1a\n" + bytes(500))[: len(png((200, 100, 50)))]
    )
    (tmp_path / "b.glb").write_bytes(made.glb())
    file = read_asset(tmp_path / "b.glb")
    assert "Case_BaseColor.png is a KTX2 picture" in file.notes[1]
    assert [t.role for t in file.sheets[0].textures] == ["packed data", "normal", "emissive"]


@pytest.mark.parametrize("how", ["draco", "meshopt", "webp"])
def test_a_compressed_file_is_the_plain_one(how: str, tmp_path: Path) -> None:
    """tests/data/compressed: one file of trimesh, compressed by glTF Transform with the encoders of draco3dgltf and
    meshoptimizer; positions and UVs have 14 and 12 bits."""
    folder = Path("tests/data/compressed")
    plain, packed = read_asset(folder / "plain.glb"), read_asset(folder / f"{how}.glb")

    def corners(mesh: Mesh) -> np.ndarray:
        assert mesh.uvs is not None
        return np.concatenate([mesh.positions[mesh.faces], mesh.uvs], -1).reshape(-1, 5)

    assert packed.mesh.face_count == plain.mesh.face_count
    assert cKDTree(corners(plain.mesh)).query(corners(packed.mesh))[0].max() < 2.0**-12
    pictures = [decode_image(f.sheets[0].textures[0].content, "picture") for f in (plain, packed)]
    assert np.array_equal(*pictures)
    # What a project keeps opens again as it was.
    state = take_asset(State(), packed)
    Storage(tmp_path / "p").save(state)
    opened = Storage(tmp_path / "p").open()
    assert opened.mesh is not None
    assert np.array_equal(opened.mesh.mesh.positions, packed.mesh.positions)


def test_a_missing_decoder_says_which_one(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "meshoptimizer", None)
    with pytest.raises(MeshFileError, match="compressed with meshopt, which needs the package meshoptimizer"):
        read_asset("tests/data/compressed/meshopt.glb")


def test_what_many_name_is_read_and_decoded_once(tmp_path: Path) -> None:
    """Forty buffers of one sparse file, forty materials with one picture: sums count, one source is one source."""
    made = two_materials()
    (tmp_path / "big.bin").write_bytes(made.blob)
    os.truncate(tmp_path / "big.bin", 200 << 20)
    made.tree["buffers"] = [{"byteLength": len(made.blob), "uri": "big.bin"} for _ in range(40)]
    for number, view in enumerate(made.tree["bufferViews"]):
        view["buffer"] = number % 40
    (tmp_path / "a.gltf").write_text(json.dumps(made.tree))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    read_asset(tmp_path / "a.gltf")
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 900 << 10
    # Different files add up, and are refused before they fill the memory.
    for number in range(4):
        (tmp_path / f"big{number}.bin").write_bytes(made.blob)
        os.truncate(tmp_path / f"big{number}.bin", 200 << 20)
        made.tree["buffers"][number]["uri"] = f"big{number}.bin"
    (tmp_path / "a.gltf").write_text(json.dumps(made.tree))
    with pytest.raises(MeshFileError, match="brings along more than"):
        read_asset(tmp_path / "a.gltf")
    shared = Writer()
    picture = shared.image(png((200, 100, 50), 1024))
    glow = [shared.image(png((n, n, n))) for n in range(40)]
    shared.tree["materials"] = [
        {"name": f"M{n}", "emissiveTexture": {"index": glow[n]}, "pbrMetallicRoughness": {"baseColorTexture": {"index": picture}}} for n in range(40)
    ]  # fmt: skip
    for n in range(40):
        shared.square(n)
    (tmp_path / "b.glb").write_bytes(shared.glb())
    state = take_asset(State(), read_asset(tmp_path / "b.glb"))
    painted = [state.textures[sheet.textures[0].id].pixels for sheet in state.project.sheets]
    assert len(painted) == 40
    assert all(pixels is painted[0] for pixels in painted)
    Storage(tmp_path / "p").save(state)
    opened = Storage(tmp_path / "p").open()
    assert len({id(raster.pixels) for raster in opened.textures.values()}) == 41
    # Each with a factor of its own is a picture of its own, and counted before it is made.
    for n, material in enumerate(shared.tree["materials"]):
        material["pbrMetallicRoughness"]["baseColorFactor"] = [n / 40, 1, 1, 1]
    (tmp_path / "b.glb").write_bytes(shared.glb())
    file = read_asset(tmp_path / "b.glb")
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("evenpalette.core.storage.budget.limits", lambda: Limits(project_bytes=20 << 20))
        with pytest.raises(ProjectError, match="take more than"):
            take_asset(State(), file)


def test_a_file_of_another_writer_has_its_texture_too(tmp_path: Path) -> None:
    """trimesh's own exporter: one material, the picture inside."""
    from PIL import Image

    picture = Image.fromarray(np.full((16, 16, 3), (90, 140, 200), np.uint8))
    square = trimesh.Trimesh(POSITIONS, FACES.reshape(-1, 3), process=False)
    material = trimesh.visual.material.PBRMaterial(baseColorTexture=picture, roughnessFactor=0.25, metallicFactor=0.0)
    square.visual = trimesh.visual.TextureVisuals(uv=UVS, material=material)
    (tmp_path / "t.glb").write_bytes(square.export(file_type="glb"))
    state = take_asset(State(), read_asset(tmp_path / "t.glb"))
    (texture,) = state.project.asset.textures
    assert texture.role is Role.PAINTED
    assert state.textures[texture.id].pixels[3, 3].tolist() == [90, 140, 200]
    assert state.sheet.factors["roughness"] == (0.25,)


@pytest.mark.parametrize(
    "tree", [{"scene": "hello"}, {"scenes": [{"nodes": "a"}]}, {"accessors": ["a"]}, {"meshes": [{"primitives": [7]}]}]
)
def test_a_tree_of_the_wrong_types_is_refused_in_words_for_its_owner(tree: dict) -> None:
    """What Python says of it (literals, attributes, types) helps nobody who exports a mesh."""
    made = Writer()
    made.square(0)
    made.tree.update(tree)
    with pytest.raises(MeshFileError) as refused:
        parse_mesh(made.glb(), "spoiled.glb")
    said = str(refused.value)
    assert said.startswith("spoiled.glb")
    assert not re.search(r"int\(\)|object|attribute|indices|NoneType|subscript|KeyError|literal", said), said
