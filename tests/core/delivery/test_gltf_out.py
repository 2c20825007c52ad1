"""A delivered glTF file: valid by the Khronos validator, and opened again it looks as what was delivered."""

import json
import subprocess
from dataclasses import replace
from pathlib import Path

import cv2
import moderngl
import numpy as np
import pytest
from tests.helpers.glsl import apart as elsewhere
from tests.helpers.projects import on_two_sheets, with_choices
from tests.helpers.three import Three

from evenpalette.cli import main
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.document.state import State
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.storage.demo_files import copy_demo, demo_names
from evenpalette.core.storage.storage import Storage
from evenpalette.gpu.look import Look
from evenpalette.gpu.scene import SceneRenderer


def parts(file: Path) -> tuple[dict, bytes]:
    content = file.read_bytes()
    size = int.from_bytes(content[12:16], "little")
    return json.loads(content[20 : 20 + size]), content[28 + size :]


def validated(file: Path, strangers: Path) -> dict:
    """npm: gltf-validator."""
    script = (
        "const v=require('gltf-validator'),fs=require('fs');"
        "v.validateBytes(new Uint8Array(fs.readFileSync(process.argv[1]))).then(r=>console.log(JSON.stringify(r.issues)))"
    )
    words = ["node", "-e", script, str(file)]
    return json.loads(subprocess.run(words, cwd=strangers, capture_output=True, text=True, check=True).stdout)


def picture(said: dict, body: bytes, place: dict) -> np.ndarray:
    view = said["bufferViews"][said["images"][said["textures"][place["index"]]["source"]]["bufferView"]]
    found = body[view["byteOffset"] : view["byteOffset"] + view["byteLength"]]
    return cv2.imdecode(np.frombuffer(found, np.uint8), cv2.IMREAD_UNCHANGED)


@pytest.mark.parametrize("name", sorted(demo_names()))
def test_every_demo_is_valid_and_every_variant_has_its_base_color(name: str, strangers: Path, tmp_path: Path) -> None:
    state = Storage(copy_demo(tmp_path / "demo", name)).open()
    deliver(state, tmp_path / "out", targets=["images", "gltf"], longest=256)
    file = tmp_path / "out" / f"{name}.glb"
    found = validated(file, strangers)
    assert (found["numErrors"], found["numWarnings"], found["numInfos"]) == (0, 0, 0), found["messages"][:3]
    said, body = parts(file)
    variants = said["extensions"]["KHR_materials_variants"]["variants"]
    assert [v["name"] for v in variants] == [v.name for v in state.project.variants]
    for shape in said["meshes"][0]["primitives"]:
        mapped = shape["extensions"]["KHR_materials_variants"]["mappings"]
        assert [m["variants"] for m in mapped] == [[k] for k in range(len(variants))]
        assert "COLOR_0" not in shape["attributes"]
    for folder, material in zip(sorted_folders(state, tmp_path / "out"), said["materials"], strict=True):
        told = read_image(folder / "base_color.png").pixels
        drawn = picture(said, body, material["pbrMetallicRoughness"]["baseColorTexture"])
        assert np.array_equal(drawn[..., [2, 1, 0, 3][: drawn.shape[2]]], told)
    # What no variant changes lies there once.
    assert len(said["images"]) < 4 * len(said["materials"])


def sorted_folders(state: State, out: Path) -> list[Path]:
    return [out / "variants" / v.name.lower().replace(", ", "-").replace(" ", "-") for v in state.project.variants]


def test_opened_again_the_first_variant_is_the_base_color(tmp_path: Path) -> None:
    state = Storage(copy_demo(tmp_path / "demo", "tea-tin")).open()
    deliver(state, tmp_path / "out", targets=["images", "gltf"])
    assert main(["new", str(tmp_path / "again"), "--mesh", str(tmp_path / "out" / "tea-tin.glb")]) == 0
    again = Storage(tmp_path / "again").open()
    told = read_image(sorted_folders(state, tmp_path / "out")[0] / "base_color.png").pixels
    painted = [
        r.pixels
        for r in again.textures.values()
        if r.size == (told.shape[1], told.shape[0]) and r.channels == told.shape[2]
    ]
    assert any(np.array_equal(pixels, told) for pixels in painted)


def test_three_js_shows_what_form_shows(lantern: State, strangers: Path, tmp_path: Path) -> None:
    """npm: three, in Chromium. The kit's mesh with a delivered map on it, and the glTF file by its own materials, each
    near (texels are larger than pixels, so that no mip level is asked for) and whole (the same pixels are covered)."""
    variant = lantern.project.variants[1]
    deliver(lantern, tmp_path, targets=["images", "kit", "gltf"], variants=[v.id for v in lantern.project.variants[:2]])
    assert lantern.mesh is not None
    places, size, ground = lantern.mesh.mesh.positions, (512, 512), 0.4667
    whole = OrbitCamera.around(places.min(0), places.max(0))
    cameras = (whole.zoomed(3), whole)

    def form() -> list[np.ndarray]:
        ctx = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]
        scene, target, made = SceneRenderer(ctx), ctx.simple_framebuffer(size, 4), []
        scene.set_state(lantern)
        for camera in cameras:
            while True:
                scene.clear(target)
                scene.draw_form(target, (0, 0, *size), camera, [(Look(variant=variant.id, lit=False), 1.0)])
                if not scene.is_waiting:
                    break
                scene.continue_uploads(1.0)
            made.append(np.frombuffer(target.read(components=3), np.uint8).reshape(*size, 3).astype(int))
        ctx.release()
        return made

    three = Three(strangers)
    folder = sorted_folders(lantern, tmp_path)[1]
    given = (
        (tmp_path / "kit" / "mesh.glb", {"picture": folder / "base_color.png"}),
        (tmp_path / "moth-lantern.glb", {"variant": 1}),
    )
    for camera, ours in zip(cameras, elsewhere(form), strict=True):
        for model, words in given:
            theirs = three.draw(model, camera.matrix(*size), size, ground=ground, **words).astype(int)
            if camera is whole:
                covered = [np.abs(p - round(ground * 255)).max(-1) > 2 for p in (ours, theirs)]
                assert 0.1 < covered[0].mean() < 0.9
                assert (covered[0] == covered[1]).mean() > 0.995
            else:
                apart = np.abs(ours - theirs).max(-1)
                assert (apart <= 1).mean() > 0.985, np.bincount(apart.ravel())[:8]
                assert (apart <= 2).mean() > 0.995, np.bincount(apart.ravel())[:8]
    three.close()


def test_two_sheets_are_valid_and_each_part_has_the_material_of_its_sheet(
    lantern: State, strangers: Path, tmp_path: Path
) -> None:
    state = on_two_sheets(with_choices(lantern)[0])
    deliver(state, tmp_path, targets=["gltf"], longest=64, variants=[v.id for v in state.project.variants[:3]])
    file = tmp_path / "moth-lantern.glb"
    found = validated(file, strangers)
    assert (found["numErrors"], found["numWarnings"]) == (0, 0), found["messages"][:3]
    said, _ = parts(file)
    for shape in said["meshes"][0]["primitives"]:
        name = said["materials"][shape["material"]]["name"]
        assert name.endswith(f", {shape['extras']['sheet']}")
    with pytest.raises(EvenPaletteError, match="needs the mesh"):
        deliver(replace(lantern, mesh=None), tmp_path / "none", targets=["gltf"])
