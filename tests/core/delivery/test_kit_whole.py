"""What a kit has beside its recipe: the mesh, the light, and all variants in one table, each held to outside truth."""

import json
import shutil
import subprocess
import sys
from pathlib import Path

import coloraide
import numpy as np
import pytest
import trimesh
from tests.helpers.glsl import Game
from tests.helpers.kit_loader import Loader

from evenpalette.core.color.encoding import encode_srgb_8bit
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.document.state import State
from evenpalette.core.mesh.mesh import build_mesh
from evenpalette.core.mesh.tangents import tangents
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.storage.demo_files import copy_demo, demo_names
from evenpalette.core.storage.storage import Storage


@pytest.fixture(scope="module", params=sorted(demo_names()))
def kit(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, State]:
    """Every demo as images and a kit."""
    folder = tmp_path_factory.mktemp("whole")
    state = Storage(copy_demo(folder / "demo", request.param)).open()
    deliver(state, folder / "out", longest=512, kit_longest=512)
    return folder / "out", state


def test_every_row_of_the_table_draws_its_variant(kit: tuple[Path, State]) -> None:
    """By the uniform, by the function of a row, and as the far end of a turn from the defaults."""
    out, _ = kit
    loader, game = Loader(out / "kit"), Game()
    variants = {variant["id"]: variant for variant in loader.said["variants"]}
    rows = loader.said["table"]["rows"]
    assert rows[0] == "default"
    assert rows[1:] == list(variants)
    for row, key in enumerate(rows[1:], 1):
        variant = variants[key]
        size = read_image(out / variant["folder"] / "base_color.png").size
        told = encode_srgb_8bit(loader.draw(game, variant, size)).astype(int)
        calls = (
            "",
            f"evenpalette_surface_row(uv, 0.0, 0u, {row})",
            f"evenpalette_surface_between(uv, 0.0, 0u, 0, {row}, 1.0)",
        )
        for call, es in zip(calls, (False, True, False), strict=True):
            drawn = encode_srgb_8bit(loader.draw_row(game, variant, row, size, call=call, es=es))
            # At the far end colors have gone to OKLab and back in 32 bits.
            assert np.abs(drawn - told).max() <= 1


def test_halfway_between_two_rows_colors_are_mixed_in_oklab(kit: tuple[Path, State]) -> None:
    """Source: coloraide's interpolation in OKLab."""
    out, _ = kit
    loader, game = Loader(out / "kit"), Game()
    one, two = loader.said["variants"][:2]
    if any("texture" in value for value in one["values"].values() if isinstance(value, dict)):
        pytest.skip("what is chosen by a texture is drawn apart")
    values = {}
    for name, a in one["values"].items():
        b = two["values"][name]
        if isinstance(a, dict) and "linear" in a:
            ends = (coloraide.Color("srgb-linear", v["linear"]) for v in (a, b))
            mixed = coloraide.Color.interpolate(list(ends), space="oklab")(0.25).convert("srgb-linear", fit=False)
            values[name] = {"hex": "", "linear": mixed.coords()}
        elif isinstance(a, float):
            values[name] = a + (b - a) * 0.25
        elif isinstance(a, list):
            values[name] = [x + (y - x) * 0.25 for x, y in zip(a, b, strict=True)]
        else:
            values[name] = a
    told = encode_srgb_8bit(loader.draw(game, {"values": values}, (256, 256))).astype(int)
    drawn = loader.draw_row(game, one, 0, (256, 256), call="evenpalette_surface_between(uv, 0.0, 0u, 1, 2, 0.25)")
    assert np.abs(encode_srgb_8bit(drawn) - told).max() <= 1


@pytest.mark.skipif(shutil.which("glslangValidator") is None, reason="glslangValidator is not installed")
@pytest.mark.parametrize("version", ["330 core", "300 es"])
@pytest.mark.parametrize(
    "defines",
    ["", "#define EP_TABLE\n", "#define EP_LIGHT\n", "#define EP_LIGHT\n#define EP_TABLE\n#define EP_ENVIRONED 1\n"],
)
def test_texts_are_what_a_reference_compiler_takes(
    kit: tuple[Path, State], tmp_path: Path, version: str, defines: str
) -> None:
    out, _ = kit
    light = (out / "kit" / "light.glsl").read_text() if "LIGHT" in defines else ""
    made = "evenpalette_surface(at, 1.0, 3u).base_color"
    if light:
        made = "evenpalette_output(evenpalette_light(evenpalette_lit(evenpalette_surface(at, 1.0, 3u)), vec3(0.0), vec3(0.0, 0.0, 1.0), vec4(1.0, 0.0, 0.0, -1.0), vec3(1.0)))"
    text = f"#version {version}\n{defines}{light}{(out / 'kit' / 'recipe.glsl').read_text()}\nin vec2 at; out vec4 o;\nvoid main() {{ o = vec4({made}, 1.0); }}\n"
    file = tmp_path / "whole.frag"
    file.write_text(text)
    done = subprocess.run(["glslangValidator", file], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout


def test_the_mesh_is_read_by_others_as_it_is_here(kit: tuple[Path, State]) -> None:
    out, state = kit
    assert state.mesh is not None
    mesh = state.mesh.whole.mesh
    listed = json.loads((out / "kit" / "kit.json").read_text())
    assert listed["mesh"] == "mesh.glb"
    assert [sheet["name"] for sheet in listed["sheets"]] == [sheet.name for sheet in state.project.sheets]
    scene = trimesh.load(out / "kit" / "mesh.glb", process=False)
    read = list(scene.geometry.values())
    assert sum(len(part.faces) for part in read) == mesh.face_count
    corners = np.concatenate([part.vertices[part.faces].reshape(-1, 9) for part in read])
    ours = mesh.positions[mesh.faces].reshape(-1, 9)
    assert np.allclose(corners[np.lexsort(corners.T)], ours[np.lexsort(ours.T)], atol=1e-6)
    text = (out / "kit" / "mesh.glb").read_bytes()
    said = json.loads(text[20 : 20 + int.from_bytes(text[12:16], "little")])
    groups = {(p["extras"]["group"], p["extras"]["sheet"]) for p in said["meshes"][0]["primitives"]}
    assert {group for group, _ in groups} == {mesh.group_names[g] for g in np.unique(mesh.groups)}


def test_the_mesh_is_valid_by_the_validator_of_khronos(kit: tuple[Path, State], strangers: Path) -> None:
    """npm: gltf-validator."""
    script = (
        "const v=require('gltf-validator'),fs=require('fs');"
        "v.validateBytes(new Uint8Array(fs.readFileSync(process.argv[1]))).then(r=>console.log(JSON.stringify(r.issues)))"
    )
    done = subprocess.run(
        ["node", "-e", script, str(kit[0] / "kit" / "mesh.glb")],
        cwd=strangers,
        capture_output=True,
        text=True,
        check=True,
    )
    found = json.loads(done.stdout)
    # A mesh without a material needs no tangents; a recipe does.
    assert (found["numErrors"], found["numWarnings"]) == (0, 0), found["messages"][:3]


def test_tangents_on_mirrored_islands_follow_the_rule() -> None:
    """Two quads that share an edge in the plane z = 0, the second one's u running back. By hand: the tangent is where u
    grows, and cross(normal, tangent) * w points to where v falls, on both."""
    positions = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0, 0], [2, 1, 0]], float)
    faces = np.array([[0, 1, 2], [0, 2, 3], [1, 4, 5], [1, 5, 2]])
    # v runs down: it is 1 at the foot.
    place = {0: (0.0, 1.0), 1: (0.5, 1.0), 2: (0.5, 0.0), 3: (0.0, 0.0), 4: (0.0, 1.0), 5: (0.0, 0.0)}
    uvs = np.array([[place[int(v)] for v in face] for face in faces], np.float32)
    found = tangents(build_mesh("two.obj", positions, faces, uvs=uvs))
    assert np.allclose(found[:2], [1, 0, 0, 1])
    assert np.allclose(found[2:], [-1, 0, 0, -1])
    green = np.cross([0.0, 0.0, 1.0], found[..., :3]) * found[..., 3:]
    assert np.allclose(green, [0, 1, 0])


def test_a_tangent_is_the_mean_by_angles_of_the_faces_that_meet() -> None:
    """At a corner where faces meet at 90 and 45 degrees with u turned between them: the weighed sum, worked by hand."""
    positions = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [-1, 1, 0]], float)
    faces = np.array([[0, 1, 2], [0, 2, 3]])
    # Over the first face u is x; over the second u is x + y, which grows most along (1, 1).
    uvs = np.array([[(0, 0), (1, 0), (0, -1)], [(0, 0), (0, -1), (-1, -1)]], np.float32)
    uvs[1, :, 0] = [0, 0, -1]
    uvs[1, 1] = (0, -1)
    sheared = build_mesh("fan.obj", positions, faces, uvs=uvs)
    found = tangents(sheared)[0, 0, :3]
    edges = positions[[2, 3]] - positions[0]
    turns = (uvs[1, 1:] - uvs[1, 0]).astype(float)
    # The direction in which u grows while v stays, of the second face: solve for the edge combination by hand.
    mix = np.linalg.solve(turns.T, [1.0, 0.0])
    second = mix @ edges
    expected = np.array([1.0, 0, 0]) * np.pi / 2 + second / np.linalg.norm(second) * np.pi / 4
    assert np.allclose(found, expected / np.linalg.norm(expected), atol=1e-6)


def test_the_loader_of_the_documentation_runs_as_it_stands(kit: tuple[Path, State], tmp_path: Path) -> None:
    out, state = kit
    text = (Path(__file__).parents[3] / "docs" / "kit.md").read_text()
    code = text.split("```python\n")[1].split("```")[0]
    assert len(code.strip().splitlines()) < 80
    (tmp_path / "loader.py").write_text(code)
    pictures = []
    for variant in state.project.variants[:2]:
        file = tmp_path / f"{variant.id}.png"
        words = [sys.executable, "loader.py", out / "kit", variant.name, file]
        subprocess.run(words, cwd=tmp_path, check=True, timeout=300)
        pictures.append(read_image(file).pixels[..., :3].astype(int))
    shown = np.abs(pictures[0] - 119).max(-1) > 4
    assert 0.05 < shown.mean() < 0.9
    assert np.abs(pictures[0] - pictures[1]).max(-1)[shown].mean() > 5
