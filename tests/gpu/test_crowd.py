"""A crowd from memory is the one that is delivered; copies that are kept, other eyes, what is under the pointer."""

from dataclasses import replace
from pathlib import Path

import moderngl
import numpy as np
import pytest

from evenpalette.core.color.vision import Vision
from evenpalette.core.crowd import Copies, copies
from evenpalette.core.delivery.crowd_kit import CrowdKit, crowd_kit, models_of
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.kit_files import read_kit
from evenpalette.core.delivery.live_kit import live_kit, live_rows
from evenpalette.core.document.state import State
from evenpalette.core.edits.crowd import keep_copy
from evenpalette.core.edits.variants import set_value
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage
from evenpalette.gpu.crowd.light import CrowdLight, CrowdMoment
from evenpalette.gpu.crowd.scene import CrowdAsset, CrowdStage
from tests.helpers.glsl import apart

SIZE = (160, 160)
PLAIN, UNLIT = np.eye(3), CrowdLight(unlit=True)
FRONT = OrbitCamera((0.0, 0.5, 0.0), 0.0, 0.0, 1.0)


@pytest.fixture(scope="module")
def pennant(tmp_path_factory: pytest.TempPathFactory) -> State:
    return Storage(copy_demo(tmp_path_factory.mktemp("market") / "m", "pennant")).open()


def one(row: int, number: int = 0) -> Copies:
    made = copies(1, "grid", 1.0)
    made["row"], made["number"], made["phase"] = row, number, 0
    return made


def on_square(kit: CrowdKit) -> CrowdKit:
    """The kit without its mesh: a square shows every texel."""
    models, low, high = models_of(b"", [sheet.said.sheet for sheet in kit.sheets])
    sheets = tuple(replace(sheet, model=model) for sheet, model in zip(kit.sheets, models, strict=True))
    return CrowdKit(kit.name, sheets, low, high)


def drawn(kit: CrowdKit, wanted: list[Copies], eyes: np.ndarray = PLAIN, light: CrowdLight = UNLIT):  # type: ignore[no-untyped-def]
    """Pictures of copies, int (height, width, 3), in a process of their own."""

    def draw() -> list[np.ndarray]:
        ctx = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]
        stage, asset = CrowdStage(ctx), CrowdAsset(ctx, kit)
        target = ctx.framebuffer([ctx.renderbuffer(SIZE, 4)])
        made = []
        for given in wanted:
            stage.draw(target, (0, 0, *SIZE), FRONT, [(asset, given)], light, CrowdMoment(), eyes)
            made.append(np.frombuffer(target.read(components=3), np.uint8).reshape(*SIZE[::-1], 3)[::-1].astype(int))
        return made

    return apart(draw)


def test_from_memory_it_is_what_is_delivered(pennant: State, tmp_path: Path) -> None:
    deliver(pennant, tmp_path, targets=["kit"])
    rows = range(1, len(pennant.project.variants) + 1)
    wanted = [one(row, number=row * 7) for row in rows]
    delivered, live = (drawn(on_square(kit), wanted) for kit in (crowd_kit(read_kit(tmp_path)), live_kit(pennant, 0)))
    for first, second in zip(delivered, live, strict=True):
        assert np.abs(first - second).max() <= 1
    assert np.abs(live[0] - live[1]).max() > 20


def test_a_kept_copy_is_drawn_as_it_was_whatever_its_number_is(pennant: State) -> None:
    first = pennant.project.variants[0].id
    state = keep_copy(pennant, first, 17)
    rows = {v.id: row for row, v in enumerate(state.project.variants, 1)}
    kept = rows[state.project.active_variant or ""]
    kit = on_square(live_kit(state, 256))
    as_it_was, here, there, other = drawn(kit, [one(rows[first], 17), one(kept, 3), one(kept, 99), one(rows[first], 3)])
    assert np.array_equal(as_it_was, here)
    assert np.array_equal(as_it_was, there)
    assert not np.array_equal(as_it_was, other)


def test_through_other_eyes_it_is_what_they_see(lantern: State) -> None:
    kit, vision = live_kit(lantern, 128), Vision("deuteranomaly", 0.8)
    plain = drawn(kit, [one(1)], light=CrowdLight())[0]
    seen = drawn(kit, [one(1)], vision.matrix(), CrowdLight())[0]
    linear = np.where(plain / 255 <= 0.04045, plain / 255 / 12.92, ((plain / 255 + 0.055) / 1.055) ** 2.4)
    wanted = vision.seen(linear.astype(np.float32))
    codes = np.where(wanted <= 0.0031308, wanted * 12.92, 1.055 * np.maximum(wanted, 1e-9) ** (1 / 2.4) - 0.055) * 255
    # Beside the outline, where pixels are softened after they are shaded.
    assert np.percentile(np.abs(codes - seen), 99) <= 2
    assert np.abs(plain - seen).max() > 15


def test_values_alone_go_into_the_table_and_a_pixel_tells_its_copy(lantern: State) -> None:
    key, variant = lantern.project.parameters[0].id, lantern.project.variants[0].id
    changed = set_value(lantern, variant, key, "#10c010")
    kit = live_kit(lantern, 128)

    def draw() -> tuple[np.ndarray, np.ndarray, list[tuple[int, int] | None]]:
        ctx = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]
        stage, asset = CrowdStage(ctx), CrowdAsset(ctx, kit)
        target = ctx.framebuffer([ctx.renderbuffer((400, 300), 4)])
        wanted = copies(12, "grid", kit.step)
        wanted["row"] = 1
        camera = asset.camera(wanted, (400, 300))
        pictures = []
        for rows in (None, [live_rows(changed)[0]]):
            if rows is not None:
                asset.set_rows(rows)
            stage.draw(target, (0, 0, 400, 300), camera, [(asset, wanted)], CrowdLight(), CrowdMoment())
            pictures.append(np.frombuffer(target.read(components=3), np.uint8).reshape(300, 400, 3).astype(int))
        middle = (kit.low + kit.high) / 2
        points = np.stack(
            [wanted["place"][:, 0] + middle[0], np.full(12, middle[1]), wanted["place"][:, 1] + middle[2]], 1
        )
        seen = camera.project_all(points, 400, 300)
        return *pictures, [stage.copy_at(int(x), int(299 - y)) for x, y in seen]  # type: ignore[return-value]

    before, after, found = apart(draw)
    green = after[..., 1] - after[..., 0] > 40
    assert green.mean() > 0.02
    assert not (before[..., 1] - before[..., 0] > 40).any()
    # The nearest stand before all others: a pixel in their middle is theirs.
    assert sum(held == (0, index) for index, held in enumerate(found)) >= 9
