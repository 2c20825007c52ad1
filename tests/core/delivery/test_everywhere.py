"""One project with all that is hard, wherever its kit runs: two sheets, a choice of textures, a vector of numbers."""

import json
import subprocess
from collections.abc import Iterator
from pathlib import Path

import moderngl
import numpy as np
import pytest
from tests.helpers.browser import Browser
from tests.helpers.glsl import Game, apart
from tests.helpers.hlsl import draw_hlsl, needs_compilers
from tests.helpers.kit_loader import Loader
from tests.helpers.projects import on_two_sheets, with_choices

from evenpalette.core.color.encoding import encode_srgb_8bit
from evenpalette.core.crowd import copies
from evenpalette.core.delivery.crowd_kit import crowd_kit
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.kit_files import read_kit
from evenpalette.core.document.state import State
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.raster.image_read import read_image
from evenpalette.gpu.crowd.light import CrowdLight, CrowdMoment
from evenpalette.gpu.crowd.scene import CrowdAsset, CrowdStage


@pytest.fixture(scope="module")
def out(lantern: State, tmp_path_factory: pytest.TempPathFactory) -> Path:
    state = on_two_sheets(with_choices(lantern)[0])
    folder = tmp_path_factory.mktemp("everywhere")
    deliver(state, folder, variants=[v.id for v in state.project.variants[:3]], targets=["images", "preview"])
    return folder


SHEETS = ("sheet", "badge")


def maps(out: Path, sheet: str) -> Iterator[tuple[dict, np.ndarray]]:
    said = json.loads((out / "kit" / sheet / "parameters.json").read_text())
    for variant in said["variants"]:
        yield variant, read_image(out / variant["folder"] / "base_color.png").pixels[..., :3].astype(int)


def agrees(drawn: np.ndarray, told: np.ndarray) -> None:
    apart_by = np.abs(drawn.astype(int) - told)
    assert (apart_by <= 1).mean() >= 0.999
    # A texture that repeats is read between texels, where hardware has eight bits.
    assert apart_by.max() <= 2


@pytest.mark.parametrize("sheet", SHEETS)
def test_in_a_plain_loader_from_uniforms_and_from_the_table(out: Path, sheet: str) -> None:
    loader, game = Loader(out / "kit" / sheet), Game()
    draws = loader.said["table"]["one_draw_each"]
    assert [d["choices"][1:] for d in draws] == ([[0, 1, 2]] if sheet == "sheet" else [])
    for row, (variant, told) in enumerate(maps(out, sheet), 1):
        size = told.shape[1], told.shape[0]
        agrees(encode_srgb_8bit(loader.draw(game, variant, size, mips=True)), told)
        agrees(encode_srgb_8bit(loader.draw_row(game, variant, row, size, mips=True)), told)


@pytest.mark.parametrize("sheet", SHEETS)
def test_in_hlsl(out: Path, tmp_path: Path, sheet: str) -> None:
    needs_compilers()
    loader, game = Loader(out / "kit" / sheet), Game()
    text = (out / "kit" / sheet / "recipe.hlsl").read_text()
    for variant, told in maps(out, sheet):
        drawn = draw_hlsl(
            game, tmp_path, text, "float4(evenpalette_recipe(uv), 1.0)", loader.textures_of(variant), loader.uniforms(variant),
            (told.shape[1], told.shape[0]), repeat=loader.repeat, mips=True,
        )  # fmt: skip
        agrees(encode_srgb_8bit(drawn[..., :3]), told)


def test_in_the_player(out: Path) -> None:
    """On squares: without its mesh each sheet has one, which lies over that of the sheet before."""
    files = read_kit(out)
    names = [sheet.name for sheet in files.sheets]
    for number, sheet in enumerate(SHEETS):
        only = type(files)(files.name, files.folder, (files.sheets[number],), b"", files.files)
        for row, (_, told) in enumerate(maps(out, sheet), 1):

            def draw(only=only, row=row, shape=told.shape) -> np.ndarray:  # type: ignore[no-untyped-def]
                ctx = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]
                scene, stage, size = CrowdAsset(ctx, crowd_kit(only)), CrowdStage(ctx), (shape[1], shape[0])
                target = ctx.framebuffer([ctx.renderbuffer(size, 4)])
                one = copies(1, "grid", 1.0)
                one["row"], one["phase"] = row, 0
                camera = OrbitCamera((0.0, 0.5, 0.0), 0.0, 0.0, 1.0)
                stage.draw(target, (0, 0, *size), camera, [(scene, one)], CrowdLight(unlit=True), CrowdMoment())
                return np.frombuffer(target.read(components=3), np.uint8).reshape(*shape)[::-1]

            inner = np.s_[2:-2, 2:-2]
            agrees(apart(draw)[inner], told[inner])
    assert names == ["Sheet", "Badge"]


def test_in_a_browser(out: Path) -> None:
    browser = Browser()
    try:
        assert browser.open(out / "kit" / "preview.html") == "ok"
        for number, sheet in enumerate(SHEETS):
            for third, (variant, told) in enumerate(maps(out, sheet)):
                # All of it has been drawn once all variants have.
                rows = [round(len(told) * end / 3) for end in (third, third + 1)]
                part = [0, rows[0] / len(told), 1, (rows[1] - rows[0]) / len(told)]
                browser.ask("window.evenPalette.show(given[0])", variant["name"])
                wanted = {"sheet": number, "width": told.shape[1], "height": rows[1] - rows[0], "part": part}
                agrees(browser.pixels(wanted)[..., :3], told[slice(*rows)])
        assert browser.said() == []
    finally:
        browser.close()


def test_the_mesh_in_three_js(out: Path, strangers: Path) -> None:
    """npm: three. Its own loader has the same corners, tangents and parts by name."""
    script = (
        "globalThis.self=globalThis;import('three/examples/jsm/loaders/GLTFLoader.js').then(m=>{const b=require('fs').readFileSync(process.argv[1]);"
        "new m.GLTFLoader().parse(b.buffer.slice(b.byteOffset,b.byteOffset+b.length),'',g=>{const made=[];g.scene.traverse(o=>{if(o.isMesh){"
        "const q=o.geometry;made.push({extras:q.userData,triangles:q.index.count/3,uv:!!q.attributes.uv,"
        "signs:[...new Set([...q.attributes.tangent.array].filter((_,i)=>i%4===3))],low:q.boundingBox?.min??(q.computeBoundingBox(),q.boundingBox.min)})}});"
        "console.log(JSON.stringify(made))})})"
    )
    words = ["node", "-e", script, str(out / "kit" / "mesh.glb")]
    done = subprocess.run(words, cwd=strangers, capture_output=True, text=True, check=True)
    read = json.loads(done.stdout.strip().splitlines()[-1])
    mesh = read_kit(out).mesh
    said = json.loads(mesh[20 : 20 + int.from_bytes(mesh[12:16], "little")])
    ours = said["meshes"][0]["primitives"]
    assert [part["triangles"] * 3 for part in read] == [said["accessors"][p["indices"]]["count"] for p in ours]
    assert {part["extras"]["sheet"] for part in read if "sheet" in part["extras"]} == {"Sheet", "Badge"}
    assert all(part["uv"] and set(part["signs"]) <= {1, -1} for part in read)
