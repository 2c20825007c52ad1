"""Delivered kits at work: a crowd in one draw call, the page, the player's start."""

import tempfile
from pathlib import Path

import moderngl
import numpy as np

from benchmarks.starts import against_empty
from benchmarks.timing import once, ratio
from evenpalette.core.crowd import by_share, copies
from evenpalette.core.delivery.crowd_kit import crowd_kit
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.kit_files import read_kit
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage
from evenpalette.gpu.crowd.light import CrowdLight, CrowdMoment
from evenpalette.gpu.crowd.scene import CrowdAsset, CrowdStage
from evenpalette.gpu.crowd.sheet import shader_texts

SIZE = (948, 479)


def _delivered(folder: Path, name: str) -> Path:
    deliver(Storage(copy_demo(folder / f"demo {name}", name)).open(), folder / name, targets=["preview"])
    return folder / name


def crowd(kit: Path, what: str) -> None:
    """A thousand copies beside one that fills the same pixels, and beside one material a variant; how fast three
    hundred turn."""
    ctx = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]
    scene, stage = CrowdAsset(ctx, crowd_kit(read_kit(kit))), CrowdStage(ctx)
    target = ctx.framebuffer([ctx.renderbuffer(SIZE, 4)])

    def frame(count: int, near: float = 1.0, coarser: int = 1):  # type: ignore[no-untyped-def]
        wanted = copies(count, "grid", scene.kit.step)
        wanted["row"] = by_share(wanted["number"], [1.0] * len(scene.kit.variants))
        camera = scene.camera(wanted).zoomed(near)

        def draw() -> None:
            stage.draw(target, (0, 0, *SIZE), camera, [(scene, wanted)], CrowdLight(), CrowdMoment(), coarser=coarser)
            ctx.finish()

        return draw

    def filled(draw) -> float:  # type: ignore[no-untyped-def]
        draw()
        return float((stage.shown()[..., 0] >= 0).mean())

    thousand = frame(1000)
    wanted = filled(thousand)
    # One copy, so near that it fills as many pixels.
    nears = np.geomspace(0.2, 8, 24)
    near = min(nears, key=lambda near: abs(filled(frame(1, float(near))) - wanted))
    one = frame(1, float(near))
    ratio(f"A thousand {what} at {SIZE[0]}x{SIZE[1]}, against one that fills the same pixels, wanted 6", thousand, one)
    print(
        f"  {stage.draws} draw call a sheet, {scene.memory / 2**20:.1f} MiB of textures for all {len(scene.kit.variants)} variants; "
        f"one painted base color a variant: {len(scene.kit.variants)} materials and draw calls, "
        f"{len(scene.kit.variants) * 1024 * 1024 * 4 * 4 / 3 / 2**20:.1f} MiB"
    )
    print(
        f"  {wanted:.0%} of the pixels filled; one copy {once(one) * 1000:.0f} ms, three hundred {once(frame(300)) * 1000:.0f} ms, "
        f"as they turn {once(frame(300, coarser=2)) * 1000:.0f} ms (wanted 67), a thousand {once(thousand) * 1000:.0f} ms"
    )
    scene.release()
    stage.release()


def page(kit: Path) -> None:
    """How large the page is for what it holds."""
    held = (
        sum(f.stat().st_size for f in (kit / "kit" / "textures").iterdir()) + (kit / "kit" / "mesh.glb").stat().st_size
    )
    size = (kit / "kit" / "preview.html").stat().st_size
    print(
        f"The page of the lantern: {(size - 300_000) / held:.2f} times its textures and mesh plus 300 KB, wanted at most 1.4"
    )


_PLAYER = """
import sys, time
from pathlib import Path
from evenpalette.player.main import make_application
from evenpalette.player.window import PlayerWindow
from PyQt6.QtTest import QTest
app = make_application()
window = PlayerWindow(Path(sys.argv[1])); window.show()
done = []
window.stage.painted.connect(lambda _: done.append(1))
while not done: QTest.qWait(10)
print(time.process_time())
"""


def start(kit: Path) -> None:
    """Processor time to the player's first picture."""
    texts = [text for sheet in crowd_kit(read_kit(kit)).sheets for text in shader_texts(sheet)]
    against_empty("The player's first picture", _PLAYER, [str(kit)], 2.0, texts)


def run() -> None:
    """Print them all."""
    with tempfile.TemporaryDirectory() as folder:
        lantern = _delivered(Path(folder), "moth-lantern")
        crowd(lantern, "lanterns")
        page(lantern)
        start(lantern)


if __name__ == "__main__":
    run()
