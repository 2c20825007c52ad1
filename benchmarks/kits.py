"""Delivered kits at work: a crowd in one draw call, the page, the player's start."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import moderngl
import numpy as np

from benchmarks.timing import once, ratio
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.kit_files import read_kit
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage
from evenpalette.gpu.crowd import by_share, copies
from evenpalette.player.scene import KitScene, Moment, PlayLight

SIZE = (1280, 720)


def _delivered(folder: Path, name: str) -> Path:
    deliver(Storage(copy_demo(folder / f"demo {name}", name)).open(), folder / name, targets=["preview"])
    return folder / name


def crowd(kit: Path) -> None:
    """A thousand pennants beside one, and beside one material a variant."""
    files = read_kit(kit)
    ctx = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]
    scene = KitScene(ctx, files)
    target = ctx.framebuffer([ctx.renderbuffer(SIZE, 4)])

    def frame(count: int):  # type: ignore[no-untyped-def]
        wanted = copies(count, "grid", scene.step)
        wanted["row"] = by_share(wanted["number"], [1.0] * len(scene.variants))
        camera = scene.camera(wanted)

        def draw() -> None:
            scene.draw(target, SIZE, camera, wanted, PlayLight(), Moment())
            ctx.finish()

        return draw

    ratio(f"A thousand pennants at {SIZE[0]}x{SIZE[1]}, against one", frame(1000), frame(1))
    print(
        f"  {scene.draws} draw call a sheet, {scene.memory / 2**20:.1f} MiB of textures for all {len(scene.variants)} variants; one "
        f"painted base color a variant: {len(scene.variants)} materials and draw calls, "
        f"{len(scene.variants) * 1024 * 1024 * 4 * 4 / 3 / 2**20:.1f} MiB"
    )
    print(f"  one copy {once(frame(1)) * 1000:.0f} ms, a thousand {once(frame(1000)) * 1000:.0f} ms")
    scene.release()


def page(kit: Path) -> None:
    """How large the page is for what it holds."""
    held = (
        sum(f.stat().st_size for f in (kit / "kit" / "textures").iterdir()) + (kit / "kit" / "mesh.glb").stat().st_size
    )
    size = (kit / "kit" / "preview.html").stat().st_size
    print(
        f"The page of the lantern: {(size - 300_000) / held:.2f} times its textures and mesh plus 300 KB, wanted at most 1.4"
    )


_EMPTY = (
    "import numpy, time; from PyQt6.QtWidgets import QApplication, QMainWindow; from PyQt6.QtTest import QTest;"
    "app = QApplication([]); w = QMainWindow(); w.show(); QTest.qWaitForWindowExposed(w); print(time.process_time())"
)
_PLAYER = (
    "import sys, time; from pathlib import Path; from evenpalette.player.main import make_application;"
    "from evenpalette.player.window import PlayerWindow; from PyQt6.QtTest import QTest; app = make_application();"
    "w = PlayerWindow(Path(sys.argv[1])); w.show(); done = []; w.stage.painted.connect(lambda _: done.append(1))\n"
    "while not done: QTest.qWait(10)\n"
    "print(time.process_time())"
)


def start(kit: Path) -> None:
    """Processor time to the player's first picture."""

    def seconds(code: str, *words: str) -> float:
        done = subprocess.run(
            [sys.executable, "-c", code, *words], capture_output=True, text=True, check=False, env=os.environ
        )
        return float(done.stdout.split()[-1]) if done.returncode == 0 and done.stdout.split() else float("nan")

    empty, player = (np.median([seconds(*words) for _ in range(3)]) for words in ((_EMPTY,), (_PLAYER, str(kit))))
    print(
        f"The player's first picture, its shaders included: {player / empty:.2f} times an empty Qt window with NumPy ({player:.2f} s)"
    )


def run() -> None:
    """Print them all."""
    with tempfile.TemporaryDirectory() as folder:
        crowd(_delivered(Path(folder), "pennant"))
        lantern = _delivered(Path(folder), "moth-lantern")
        page(lantern)
        start(lantern)


if __name__ == "__main__":
    run()
