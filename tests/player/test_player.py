"""The player: what it draws from delivered files alone is what was delivered, and only what should change changes."""

import json
import shutil
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

import moderngl
import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QColorDialog, QPushButton

from evenpalette.cli import main
from evenpalette.core.crowd import BY_PLACE, Laid, by_place, by_share, copies
from evenpalette.core.delivery.crowd_kit import crowd_kit
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.kit_files import KitFiles, read_kit
from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import set_value
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.pcg import pcg
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.storage.demo_files import copy_demo, demo_names
from evenpalette.core.storage.storage import Storage
from evenpalette.gpu.crowd.light import CrowdLight, CrowdMoment
from evenpalette.gpu.crowd.scene import CrowdAsset, CrowdStage
from evenpalette.player.main import make_application
from evenpalette.player.window import PlayerWindow
from tests.helpers.glsl import apart


def kit_of(name: str, folder: Path, longest: int = 0) -> Path:
    state = Storage(copy_demo(folder / f"demo {name}", name)).open()
    deliver(state, folder / name, kit_longest=longest)
    return folder / name


@pytest.fixture(scope="module")
def tin(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return kit_of("tea-tin", tmp_path_factory.mktemp("tin"), 256)


@pytest.mark.parametrize("name", sorted(demo_names()))
def test_unlit_on_a_square_a_variant_is_its_delivered_map(
    tmp_path: Path, delivered_demo: Callable[[str], tuple[Path, State]], name: str
) -> None:
    """Every third. The square fills the view texel by pixel: base color within 1 code."""
    out = tmp_path / "out"
    shutil.copytree(delivered_demo(name)[0], out)
    listed = json.loads((out / "kit" / "kit.json").read_text())
    (out / "kit" / "kit.json").write_text(json.dumps(listed | {"mesh": ""}))
    files = read_kit(out)
    variants = files.sheets[0].said.variants
    told = {row: read_image(out / variants[row].folder / "base_color.png").pixels for row in range(0, len(variants), 3)}

    def draw() -> list[np.ndarray]:
        ctx = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]
        scene, stage = CrowdAsset(ctx, crowd_kit(files)), CrowdStage(ctx)
        size = told[0].shape[1], told[0].shape[0]
        target = ctx.framebuffer([ctx.renderbuffer(size, 4)])
        made = []
        for row in told:
            one = copies(1, "grid", 1.0)
            one["row"], one["phase"] = row + 1, 0
            camera = OrbitCamera((0.0, 0.5, 0.0), 0.0, 0.0, 1.0)
            stage.draw(target, (0, 0, *size), camera, [(scene, one)], CrowdLight(unlit=True), CrowdMoment())
            pixels = np.frombuffer(target.read(components=3), np.uint8).reshape(size[1], size[0], 3)
            made.append(pixels[::-1].astype(int))
        scene.release()
        return made

    for drawn, pixels in zip(apart(draw), told.values(), strict=True):
        # The outermost texels are smoothed with what is around the square.
        inner = np.s_[2:-2, 2:-2]
        assert np.abs(drawn[inner] - pixels[..., :3][inner]).max() <= 1


def test_a_thousand_copies_have_the_numbers_that_python_says_in_one_draw_call(tin: Path) -> None:
    files = read_kit(tin)

    def draw() -> tuple[np.ndarray, int]:
        ctx = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]
        scene, stage = CrowdAsset(ctx, crowd_kit(files)), CrowdStage(ctx)
        wanted = copies(1000, "grid", scene.kit.step)
        wanted["row"] = by_share(wanted["number"], [1.0] * len(scene.kit.variants))
        target = ctx.framebuffer([ctx.renderbuffer((900, 900), 4)])
        stage.draw(target, (0, 0, 900, 900), scene.camera(wanted), [(scene, wanted)], CrowdLight(), CrowdMoment())
        which = stage.shown().reshape(-1, 2)
        return which[which[:, 0] >= 0], stage.draws

    which, draws = apart(draw)
    assert draws == len(files.sheets)
    rows = by_share(np.arange(1000, dtype=np.uint32), [1.0] * len(files.sheets[0].said.variants))
    assert len(np.unique(which[:, 1])) > 900
    assert np.array_equal(which[:, 0], rows[which[:, 1]])


def test_shares_places_and_numbers_are_kept_when_others_come_go_and_move() -> None:
    """Chi-square of 10,000 copies; by place as docs/kit.md gives it, worked with plain integers."""
    numbers = np.arange(10_000, dtype=np.uint32)
    counts = np.bincount(by_share(numbers, [20, 30, 50]), minlength=4)[1:]
    assert (((counts - [2000, 3000, 5000]) ** 2) / [2000, 3000, 5000]).sum() < 13.8  # 0.1% of two degrees of freedom
    for way in ("grid", "row", "ground"):
        few, more = copies(50, way, 2.0), copies(80, way, 2.0)
        assert np.array_equal(few, more[:50])
    ground = copies(400, "ground", 2.0)["place"]
    apart_by = np.linalg.norm(ground[:, None] - ground[None], axis=-1) + np.eye(400) * 9
    assert apart_by.min() >= 1.0
    assert by_place(np.array([[3.0, -2.0]], np.float32), 1.0)[0] == pcg(
        3 + int(pcg(int(pcg((-2) % 2**32)))) & 0xFFFFFFFF
    )
    laid = Laid(30, "grid", 1.0, (1.0, 1.0, 1.0))
    moved = laid.with_move(7, (40.0, 3.0))
    other = np.arange(30) != 7
    for one, two in ((laid, moved), (replace(laid, numbered=BY_PLACE), replace(moved, numbered=BY_PLACE))):
        assert np.array_equal(one.copies()[other], two.copies()[other])
    assert laid.copies()["number"][7] == moved.copies()["number"][7]
    by_places = (replace(made, numbered=BY_PLACE).copies()["number"][7] for made in (laid, moved))
    assert len(set(by_places)) == 2
    assert laid.without(4).indices() == [k for k in range(30) if k != 4]


def test_a_picture_without_a_window(tin: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "tin.png"
    name = read_kit(tin).sheets[0].said.variants[0].name
    assert (
        apart(
            lambda: main(
                ["play", str(tin), "--picture", str(file), "--size", "320x200", "--copies", "9", "--variant", name]
            )
        )
        == 0
    )
    picture = read_image(file)
    assert picture.size == (320, 200)
    assert (np.abs(picture.pixels[..., :3].astype(int) - 119).max(-1) > 8).mean() > 0.02
    for words, said in (
        (["--variant", "Nobody"], "no variant called 'Nobody'"), (["--size", "big"], "1280x720"), (["--copies", "0"], "number of copies"),
    ):  # fmt: skip
        code = 0
        try:
            code = main(["play", str(tin), "--picture", str(file), *words])
        except SystemExit as stopped:
            code = int(stopped.code or 0)
        line = capsys.readouterr().err.strip()
        assert code == 2
        assert said in line
        assert len(line.splitlines()) == 1


def test_a_kit_of_version_2_is_still_shown(tin: Path, tmp_path: Path) -> None:
    """As 0.7.0 wrote it: no list, no table, no light, no mesh."""
    shutil.copytree(tin / "kit", tmp_path / "kit")
    kit = tmp_path / "kit"
    for gone in ("kit.json", "mesh.glb", "light.glsl", "variants.f32", "recipe.hlsl"):
        (kit / gone).unlink(missing_ok=True)
    said = json.loads((kit / "parameters.json").read_text())
    for key in ("table", "light", "hlsl"):
        said.pop(key)
    for step in said["steps"]:
        step.pop("cost")
    for texture in said["textures"]:
        texture.pop("reads")
    (kit / "parameters.json").write_text(json.dumps(said | {"version": 2}))
    text = (kit / "recipe.glsl").read_text()
    plain = text.replace("#ifdef EP_TABLE", "#if 0").replace("#ifdef EP_LIGHT", "#if 0")
    (kit / "recipe.glsl").write_text(plain)
    pictures = []
    for variant in said["variants"][:2]:
        file = tmp_path / "one.png"
        words = ["play", str(kit), "--picture", str(file), "--variant", variant["name"], "--size", "200x200"]
        assert apart(partial(main, words)) == 0
        pictures.append(read_image(file).pixels.astype(int))
    assert np.abs(pictures[0] - pictures[1]).max() > 20


def test_what_is_written_while_the_kit_is_read_is_not_missed(
    tmp_path: Path, tin: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The file list is known after the first reading only; later on what was there when a reading began counts."""
    app = make_application()
    assert app is not None
    shutil.copytree(tin, tmp_path / "out")
    recipe = tmp_path / "out" / "kit" / "recipe.glsl"
    good, reads = recipe.read_text(), []

    def read_and_written(folder: Path) -> KitFiles:
        files = read_kit(folder)
        reads.append(len(reads))
        if len(reads) in (1, 3):
            recipe.write_text(good.replace("return surface;", f"return nothing_{len(reads)};"))
        return files

    monkeypatch.setattr("evenpalette.player.window.read_kit", read_and_written)
    window = PlayerWindow(tmp_path / "out")
    window.show()
    end = time.monotonic() + 90
    while "nothing_1" not in window.message.text():
        assert time.monotonic() < end, reads
        QTest.qWait(20)
    recipe.write_text(good + "\n")
    while "nothing_3" not in window.message.text():
        assert time.monotonic() < end, reads
        QTest.qWait(20)
    window.close()


def test_the_window_plays_follows_its_files_and_says_what_is_broken(tmp_path: Path) -> None:
    """A real window: copies, a value, a copy chosen and moved by hand; a new delivery is shown, a broken one is said
    while the old picture stands."""
    app = make_application()
    assert app is not None
    demo = copy_demo(tmp_path / "demo", "tea-tin")
    state = Storage(demo).open()
    deliver(state, tmp_path / "out", kit_longest=128, targets=["kit"])
    window = PlayerWindow(tmp_path / "out")
    window.show()
    QTest.qWaitForWindowExposed(window)

    def wait(until) -> None:  # type: ignore[no-untyped-def]
        end = time.monotonic() + 90
        while not until():
            assert time.monotonic() < end, "the player did not get there in time"
            QTest.qWait(20)

    wait(lambda: "draw call" in window.facts.text())
    window.count.number.setValue(25)
    wait(lambda: window.facts.text().startswith("25 copies"))
    assert "1 draw call," in window.facts.text()
    # A color is asked for in a dialog that looks like any other, whatever the color.
    swatch = next(b for b in window.findChildren(QPushButton) if b.text().startswith("#"))
    QTest.mouseClick(swatch, Qt.MouseButton.LeftButton)
    dialog = swatch.findChild(QColorDialog)
    wait(dialog.isVisible)
    assert dialog.grab().toImage().pixelColor(1, 1) == window.palette().window().color()
    dialog.close()
    stage = window.stage
    QTest.mouseClick(stage, Qt.MouseButton.LeftButton, pos=QPoint(stage.width() // 2, stage.height() // 2))
    wait(lambda: stage.selected >= 0)
    assert window.copy_facts.text().startswith(f"Copy {stage.selected}:")
    chosen, before = stage.selected, stage.laid
    QTest.keyClick(stage, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert stage.laid is not None
    assert before is not None
    assert list(stage.laid.moved) == [chosen]
    QTest.keyClick(stage, Qt.Key.Key_Delete)
    wait(lambda: window.facts.text().startswith("24 copies"))
    old = stage.scene
    changed = set_value(
        state,
        state.project.variants[0].id,
        next(p.id for p in state.project.parameters if p.type.value == "color"),
        "#00ff00",
    )
    deliver(changed, tmp_path / "out", kit_longest=128, targets=["kit"])
    wait(lambda: stage.scene is not old)
    assert window.facts.text().startswith("24 copies")
    new = stage.scene
    recipe = tmp_path / "out" / "kit" / "recipe.glsl"
    good = recipe.read_text()
    recipe.write_text(good.replace("return surface;", "return nothing_of_the_kind;"))
    wait(lambda: window.message.isVisible())
    assert "nothing_of_the_kind" in window.message.text()
    assert stage.scene is new
    recipe.write_text(good + "\n")
    wait(lambda: not window.message.isVisible())
    window.close()
