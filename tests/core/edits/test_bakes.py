"""Bakes as a part of the document: wanted, made, out of date, made again; gathered glow colored at runtime."""

import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from evenpalette.cli import main
from evenpalette.core.color.encoding import decode_srgb, encode_srgb
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset, bakes, recipe
from evenpalette.core.edits.glow_light import lamps_laid_by, lamps_of
from evenpalette.core.errors import Cancelled, EvenPaletteError
from evenpalette.core.findings.findings import find_all, mend_for
from evenpalette.core.mesh.mesh import build_mesh
from evenpalette.core.mesh.read import parse_mesh, read_mesh
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.evaluate import evaluate_surface
from evenpalette.core.recipe.recipe import Binding, Step
from evenpalette.core.storage.storage import Storage


def yard() -> State:
    """A gray floor and a lamp that stands on it as a wall, each in a half of the layout."""
    positions = [(-1, 0, -1), (-1, 0, 1), (1, 0, 1), (1, 0, -1), (-1, 0, -1), (1, 0, -1), (1, 1, -1), (-1, 1, -1)]
    place = [
        (0.02, 0.98),
        (0.02, 0.02),
        (0.48, 0.02),
        (0.48, 0.98),
        (0.52, 0.02),
        (0.98, 0.02),
        (0.98, 0.98),
        (0.52, 0.98),
    ]
    lines = [f"v {x} {y} {z}" for x, y, z in positions] + [f"vt {u} {v}" for u, v in place]
    lines += ["usemtl Floor", "f 1/1 2/2 3/3 4/4", "usemtl Lamp", "f 5/5 6/6 7/7 8/8"]
    mesh = parse_mesh("\n".join(lines).encode(), "yard.obj")
    state = asset.set_mesh(State(), mesh)
    gray = Raster(np.full((64, 64, 3), 188, np.uint8), Encoding.SRGB)
    state = asset.add_texture(state, gray, "yard.png", Role.PAINTED)
    mask = np.zeros((64, 64, 1), np.uint8)
    mask[:, 32:] = 255
    state = asset.add_texture(state, Raster(mask, Encoding.DATA), "lamp-mask.png", Role.MASK)
    painted, lit = (t.id for t in state.project.asset.textures)
    state = state.with_project(recipe=state.project.recipe.model_copy(update={"base": painted}))
    state = recipe.add_step(state, "glow", None, step_id="glow")
    state = recipe.bind_input(state, "glow", "mask", Binding(value=f"{lit}:0"))
    return recipe.bind_input(state, "glow", "color", Binding(value="#ffffff"), state.project.recipe.steps[0].rows[0].id)


def emissive(state: State) -> np.ndarray:
    made = evaluate_surface(state.bound_steps(None), state.sources, ("emissive",), float_output=True)
    return made["emissive"].pixels


def test_a_bake_is_wanted_then_made_and_out_of_date_when_the_mesh_or_a_setting_is_another(tmp_path: Path) -> None:
    state, made = bakes.add_bake(yard(), "occlusion", {"rays": 16}, size=32)
    assert [f.code for f in find_all(state) if f.subject == made] == ["old-bake"]
    state = bakes.with_all_made(state)
    texture = state.project.asset.texture(made)
    assert texture is not None
    assert texture.bake is not None
    assert (texture.role, texture.bake.rays, state.textures[made].size) == (Role.OCCLUSION, 16, (32, 32))
    assert not list(bakes.outdated(state))
    # It is saved with what it was made of, so that nothing is made again when the project is opened.
    Storage(tmp_path / "yard").save(state)
    assert Storage(tmp_path / "yard").open().project.asset.texture(made) == texture
    ramp = bakes.set_bake(state, made, ramp={"low": 0.2})
    assert [t.id for t in bakes.outdated(ramp)] == [made]
    assert state.mesh is not None
    moved = replace(state.mesh.mesh, positions=state.mesh.mesh.positions * np.float32(1.5))
    other = asset.set_mesh(state, moved)
    finding = next(f for f in find_all(other) if f.code == "old-bake")
    mend = mend_for(other, finding)
    assert mend is not None
    assert not list(bakes.outdated(mend[1](other)))
    # Colors of the recipe are no reason to bake again.
    colored = recipe.bind_input(
        state, "glow", "color", Binding(value="#ff0000"), state.project.recipe.steps[0].rows[0].id
    )
    assert not list(bakes.outdated(colored))
    # A file that takes its place is what it is from now on.
    theirs = asset.exchange_texture(state, made, Raster.gray(np.zeros((8, 8), np.uint8)), "painted-by-hand.png", "")
    assert not bakes.baked_textures(theirs)
    with pytest.raises(EvenPaletteError):
        bakes.set_bake(theirs, made, size=64)


def test_a_ramp_is_laid_over_what_was_traced_and_a_cancel_leaves_nothing() -> None:
    state, made = bakes.bake_now(yard(), "occlusion", {"rays": 16, "reach": 0}, size=32, denoiser="none")
    plain = state.textures[made].as_unit()
    state = bakes.set_bake(state, made, ramp={"low": 0.25, "high": 0.75, "power": 2.0, "strength": 0.5, "invert": True})
    # Nothing is traced for it: the progress of rays is never asked for.
    ramped = bakes.with_made(state, made, bakes.make_bake(state, made, progress=lambda _: pytest.fail("traced again")))
    by_hand = 0.5 * (1 - np.clip((plain - 0.25) / 0.5, 0, 1) ** 2)
    np.testing.assert_allclose(ramped.textures[made].as_unit(), by_hand, atol=0.5 / 255 + 4 * 0.5 / 255)

    def stop(_: float) -> None:
        raise Cancelled("stopped")

    fresh, other = bakes.add_bake(state, "curvature", {"rays": 8}, size=32)
    with pytest.raises(Cancelled):
        bakes.make_bake(fresh, other, progress=stop)
    assert [t.id for t in bakes.outdated(fresh)] == [made, other]
    # What came of another wish is not put in.
    late = bakes.make_bake(fresh, other)
    wanted = bakes.set_bake(fresh, other, size=64)
    assert bakes.with_made(wanted, other, late) is wanted


def test_gathered_glow_follows_the_color_of_its_lamp_without_a_new_bake() -> None:
    state = bakes.with_all_made(bakes.gather_glow(yard(), size=64, rays=256, bounces=0, denoiser="none"))
    row = state.project.recipe.steps[0].rows[0].id
    floor = np.s_[4:60, 4:28]
    white = emissive(state)[floor]
    assert white.min() > 0
    # The foot of the wall sees half of its sky as lamp, more than the far end does.
    assert white[:8].mean() > 4 * white[-8:].mean()
    blue = recipe.bind_input(state, "glow", "color", Binding(value="#3060ff"), row)
    blue = recipe.bind_input(blue, "glow", "stops", Binding(value=-1.0))
    step = blue.project.recipe.steps[-1]
    inputs = {**step.inputs, "first": Binding(value="#3060ff"), "first_stops": Binding(value=-1.0)}
    blue = blue.with_project(
        recipe=blue.project.recipe.model_copy(update={"steps": (*blue.project.recipe.steps[:-1], step.model_copy(update={"inputs": inputs}))})
    )  # fmt: skip
    assert not list(bakes.outdated(blue))
    seen = np.clip(emissive(blue)[floor], 0, 1)
    lamp = emissive(blue)[30, 48]
    # The same as the white bake times the lamp's color: light is linear, and the floor is gray.
    np.testing.assert_allclose(seen, white * lamp, rtol=0.02, atol=1e-4)
    # Half mixed in is half way from the plain glow.
    half = {**inputs, "share": Binding(value=0.5)}
    rows = tuple(r.model_copy(update={"inputs": {**r.inputs, "share": Binding(value=0.5)}}) for r in step.rows)
    mixed = blue.with_project(
        recipe=blue.project.recipe.model_copy(update={"steps": (*blue.project.recipe.steps[:-1], step.model_copy(update={"inputs": half, "rows": rows}))})
    )  # fmt: skip
    np.testing.assert_allclose(emissive(mixed)[floor], 0.5 * seen, rtol=0.02, atol=1e-4)


def test_a_lamp_that_shines_through_a_colored_texture_is_gathered_in_its_colors() -> None:
    """Light is linear: each channel of it is what a gray texture of that channel alone gives."""
    rng = np.random.default_rng(4)
    colors = rng.integers(0, 256, (8, 8, 3), np.uint8).repeat(8, 0).repeat(8, 1)
    colors[:, :48, 2] = 0  # Blue comes from one side alone.

    def gathered(pixels: np.ndarray) -> tuple[State, np.ndarray]:
        state = asset.add_texture(yard(), Raster(pixels, Encoding.SRGB), "window.png", Role.MASK)
        state = recipe.bind_input(state, "glow", "picture", Binding(value=state.project.asset.textures[-1].id))
        state = bakes.with_all_made(bakes.gather_glow(state, size=64, rays=64, bounces=1, denoiser="none"))
        baked = state.project.recipe.steps[-1].inputs["first_map"].value
        texture = state.project.asset.texture(str(baked))
        assert texture is not None
        assert texture.bake is not None
        return state, state.textures[str(baked)].as_linear() * texture.bake.scale

    state, found = gathered(colors)
    assert not list(bakes.outdated(state))
    for channel in range(3):
        _, alone = gathered(np.repeat(colors[..., channel : channel + 1], 3, 2))
        # Both are stored in 16 bits of their own range.
        np.testing.assert_allclose(found[..., channel], alone[..., channel], atol=2e-4)
    left, right = found[4:60, 4:8], found[4:60, 24:28]
    assert right[..., 2].mean() > 1.3 * left[..., 2].mean()
    assert abs(right[..., 0].mean() / left[..., 0].mean() - 1) < 0.3


def test_a_lamp_with_a_ramp_is_gathered_in_both_of_its_colors() -> None:
    """What arrives is what arrives of a texture that holds the light which the ramp makes, computed here by its
    formula; and the dim color is followed at runtime, as the bright one is."""
    state = yard()
    mask = np.zeros((64, 64, 1), np.uint8)
    mask[:, 32:, 0] = np.linspace(20, 255, 32)[None]
    lit = state.project.asset.textures[1].id
    state = asset.replace_texture(state, lit, Raster(mask, Encoding.DATA))
    bright, dim = "#ffe0a0", "#2040ff"
    row = state.project.recipe.steps[0].rows[0].id
    state = recipe.bind_input(state, "glow", "color", Binding(value=bright), row)
    state = recipe.bind_input(state, "glow", "edge", Binding(value=dim), row)
    plain = state
    state = recipe.bind_input(state, "glow", "ramped", Binding(value=True), row)
    state = bakes.with_all_made(bakes.gather_glow(state, size=64, rays=64, bounces=0, denoiser="none"))
    assert [(lamp.part, lamp.color) for lamp in lamps_of(state)] == [("bright", "color"), ("dim", "edge")]
    step = state.project.recipe.steps[-1]
    floor = np.s_[4:60, 4:28]

    def light(state: State, step: Step, name: str) -> np.ndarray:
        texture = state.project.asset.texture(str(step.inputs[f"{name}_map"].value))
        assert texture is not None
        assert texture.bake is not None
        return state.textures[texture.id].as_linear()[floor] * texture.bake.scale

    one, other = decode_srgb(np.array([[255, 224, 160], [32, 64, 255]]) / 255)
    found = light(state, step, "first") * one + light(state, step, "second") * other
    assert (step.inputs["first"].value, step.inputs["second"].value) == (bright, dim)
    # The same light as a texture, where all of the lamp glows.
    m = mask[:, 32:] / 255
    picture = np.zeros((64, 64, 3), np.uint8)
    picture[:, 32:] = np.round(encode_srgb((other + (one - other) * m) * m) * 255)
    plain = asset.replace_texture(plain, lit, Raster(np.where(mask > 0, 255, 0).astype(np.uint8), Encoding.DATA))
    plain = asset.add_texture(plain, Raster(picture, Encoding.SRGB), "ramp.png", Role.COLOR)
    plain = recipe.bind_input(plain, "glow", "picture", Binding(value=plain.project.asset.textures[-1].id))
    plain = bakes.with_all_made(bakes.gather_glow(plain, size=64, rays=64, bounces=0, denoiser="none"))
    wanted = light(plain, plain.project.recipe.steps[-1], "first")
    np.testing.assert_allclose(found, wanted, atol=0.012 * wanted.max())
    # Blue comes from the dim end of the lamp: less of it, but a larger part, than far from it.
    assert wanted[..., 2].max() > 0.01
    strength = float(step.inputs["strength"].value)
    np.testing.assert_allclose(emissive(state)[floor], decode_srgb(188 / 255) * found * strength, rtol=0.02, atol=2e-3)
    # A row that was gathered whole before it had a ramp stays so.
    old = recipe.bind_input(plain, "glow", "ramped", Binding(value=True))
    assert [lamp.part for lamp in lamps_laid_by(old, old.project.recipe.steps[-1])[0]] == [""]


def test_the_lanterns_frame_catches_the_flame_in_the_color_that_a_variant_has_it(lantern: State) -> None:
    assert not list(bakes.outdated(lantern))
    names = {v.name: v.id for v in lantern.project.variants}
    assert [lamp.name for lamp in lamps_of(lantern)] == ["Paper, Moth"]
    frame = lantern.coverages[lantern.region_ids[1]] > 200

    def of(name: str) -> np.ndarray:
        steps = lantern.bound_steps(names[name])
        made = evaluate_surface(steps, lantern.sources, ("emissive",), float_output=True)["emissive"].pixels
        return np.asarray(made[frame].mean(0))

    assert of("Ember").max() == 0
    warm, cold = of("Harbour Night"), of("Midnight Ferry")
    assert warm[0] > 2 * warm[2] > 0
    assert cold[2] > cold[0] > 0


def test_the_verb_bakes_every_kind_and_says_what_is_wrong(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    body = trimesh.creation.box((1, 1, 1))
    uv = np.random.default_rng(0).random((len(body.vertices), 2)) * 0.9 + 0.05
    body.visual = trimesh.visual.TextureVisuals(uv=uv)
    (tmp_path / "box.glb").write_bytes(body.export(file_type="glb"))
    box = str(tmp_path / "box.glb")
    for kind in (
        "occlusion",
        "bent-normal",
        "curvature",
        "thickness",
        "direction",
        "height",
        "position",
        "distance",
        "id",
    ):
        assert (
            main(["bake", box, "--kind", kind, "--rays", "8", "--size", "32", "--out", str(tmp_path / f"{kind}.png")])
            == 0
        )
        assert read_image(tmp_path / f"{kind}.png").size == (32, 32)
    fine = ["--from-mesh", box, "--cage", box, "--out", str(tmp_path / "normal.png")]
    assert main(["bake", box, "--kind", "normal", "--size", "32", *fine]) == 0
    normal = read_image(tmp_path / "normal.png", Encoding.DATA).as_unit()
    # Its own normals are straight up in its own tangent space.
    assert np.median(normal, axis=(0, 1)) == pytest.approx([0.5, 0.5, 1], abs=0.01)
    for ending, kind in ((".exr", np.float32), (".tif", np.uint16)):
        out = tmp_path / f"deep{ending}"
        assert (
            main(
                ["bake", box, "--kind", "occlusion", "--rays", "8", "--size", "32", "--depth", "16", "--out", str(out)]
            )
            == 0
        )
        assert read_image(out, Encoding.DATA).pixels.dtype == kind
    for ending in ("glb", "ply"):
        assert (
            main(
                [
                    "bake",
                    box,
                    "--kind",
                    "occlusion",
                    "--rays",
                    "8",
                    "--size",
                    "32",
                    "--out",
                    str(tmp_path / f"v.{ending}"),
                ]
            )
            == 0
        )
        colors = read_mesh(tmp_path / f"v.{ending}").colors
        assert colors is not None
        assert colors[..., :3].min() > 0.9  # a box alone is open everywhere
    capsys.readouterr()
    wrong = (
        (["--kind", "normal"], "finer mesh"), (["--kind", "distance", "--to", "Nowhere"], "no material group"),
        (["--kind", "glow"], "without a mesh"), (["--kind", "occlusion", "--rays", "1"], "rays"),
        (["--kind", "curvature", "--cage", box], "--from-mesh"), (["--kind", "occlusion", "--padding", "99"], "Padding"),
    )  # fmt: skip
    for words, said in wrong:
        with pytest.raises(SystemExit) if "--rays" in words else pytest.MonkeyPatch.context():
            assert main(["bake", box, *words, "--size", "32", "--out", str(tmp_path / "no.png")]) == 2
        error = capsys.readouterr().err
        assert said in error
        assert error.count("\n") == 1
    assert not (tmp_path / "no.png").exists()
    # A mesh without a layout has no map, but vertex colors.
    (tmp_path / "bare.ply").write_bytes(trimesh.creation.box((1, 1, 1)).export(file_type="ply"))
    bare = ["bake", str(tmp_path / "bare.ply"), "--kind", "occlusion", "--size", "32", "--rays", "8", "--out"]
    assert main([*bare, str(tmp_path / "no.png")]) == 2
    assert "no UVs" in capsys.readouterr().err
    assert main([*bare, str(tmp_path / "bare.glb")]) == 0


def test_the_verb_bakes_glow_of_a_variant(demo_folder: Path, tmp_path: Path) -> None:
    out = tmp_path / "glow.exr"
    words = [
        "bake",
        "--kind",
        "glow",
        "--project",
        str(demo_folder),
        "--variant",
        "midnight ferry",
        "--rays",
        "16",
        "--bounces",
        "0",
    ]
    assert main([*words, "--size", "64", "--out", str(out)]) == 0
    light = read_image(out).pixels.reshape(-1, 3)
    lit = light[light.sum(1) > 0.1].mean(0)
    assert lit[2] > lit[1] > lit[0]


def test_a_million_triangles_are_baked_and_two_runs_are_alike(tmp_path: Path) -> None:
    side = 708
    v, u = np.meshgrid(np.linspace(0, 1, side + 1), np.linspace(0, 1, side + 1), indexing="ij")
    bumps = 0.01 * np.sin(60 * u) * np.sin(60 * v)
    index = np.arange((side + 1) ** 2).reshape(side + 1, side + 1)
    a, b, c, d = index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]
    faces = np.concatenate([np.stack([a, d, c], -1).reshape(-1, 3), np.stack([a, c, b], -1).reshape(-1, 3)])
    place = np.stack([u, v], -1).reshape(-1, 2)
    mesh = build_mesh(
        "ground.obj", np.stack([u, bumps, v], -1).reshape(-1, 3), faces, uvs=place[faces].astype(np.float32)
    )
    assert mesh.face_count > 1_000_000
    runs = []
    for _ in range(2):
        state, made = bakes.bake_now(asset.set_mesh(State(), mesh), "occlusion", {"rays": 16, "reach": 0}, size=64)
        runs.append(state.textures[made].pixels)
    assert runs[0] is not runs[1]
    assert np.array_equal(*runs)
    assert 0.3 < runs[0].mean() / 255 < 0.999


def test_the_optional_denoiser_is_named_where_it_is_missing() -> None:
    """Where it is installed it comes nearer to many rays than few do."""
    from evenpalette.core.baking.denoise import oidn_missing

    if reason := oidn_missing():
        assert "evenpalette[oidn]" in reason
        pytest.skip(reason)
    state = yard()
    made = {}
    for rays, denoiser in ((1024, "none"), (16, "none"), (16, "oidn")):
        state, texture = bakes.bake_now(state, "occlusion", {"rays": rays, "reach": 0}, size=128, denoiser=denoiser)
        made[rays, denoiser] = state.textures[texture].as_unit()
    truth = made[1024, "none"]
    off = {key: float(np.sqrt(((plane - truth) ** 2).mean())) for key, plane in made.items()}
    assert off[16, "oidn"] < 0.5 * off[16, "none"]


def test_the_verb_leaves_the_window_alone() -> None:
    """Baking loads nothing of Qt."""
    code = "import sys, evenpalette.cli.baking; sys.exit(any(m.startswith('PyQt6') for m in sys.modules))"
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0
