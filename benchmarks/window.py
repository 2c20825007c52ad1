"""How soon the window shows what was asked: a moved slider, and a warm start."""

import itertools
import os
import statistics
import sys
import tempfile
import time
from pathlib import Path

from benchmarks.history import note
from benchmarks.starts import against_empty, seconds
from benchmarks.timing import spread

SLIDES = 60


def slider() -> None:
    """From a changed value to the painted frame of both views, at 1280 x 800 with the demo open and nothing else to
    do."""
    from PyQt6.QtTest import QTest

    from evenpalette.app.main import make_application
    from evenpalette.app.window import MainWindow
    from evenpalette.core.edits.variants import set_value

    _app = make_application()
    window = MainWindow()
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.project.open_demo(into=Path(tempfile.mkdtemp()))
    end = time.monotonic() + 30
    while time.monotonic() < end and (not window.session.state.region_ids or (not window.views.pictures.is_empty)):
        QTest.qWait(30)
    while time.monotonic() < end and window.session.watch.is_looking:
        QTest.qWait(30)
    QTest.qWait(500)
    session, views = window.session, window.views
    variant = session.state.project.active_variant
    painted: list[float] = []
    views.painted.connect(lambda: painted.append(time.perf_counter()))
    for region in ("Paper", "Tassel"):
        parameter = next(p.id for p in session.state.project.parameters if p.name == f"{region} tint")
        times = []
        for index in range(SLIDES):
            color = f"#{100 + index:02x}60a0"
            start = time.perf_counter()
            session.apply("slide", lambda s, c=color, p=parameter: set_value(s, variant, p, c), "slide")
            painted.clear()
            while not painted:
                QTest.qWait(0)
            times.append(painted[0] - start)
        spread(f"Moved slider of {region} to both views painted, {views.width()} x {views.height()} pixels", times)
    os._exit(0)


def saving() -> None:
    """The longest time that the window does nothing else while the demo, with all its coverages changed, is saved and
    a slider is moved."""
    from dataclasses import replace

    from PyQt6.QtCore import QTimer
    from PyQt6.QtTest import QTest

    from evenpalette.app.main import make_application
    from evenpalette.app.window import MainWindow
    from evenpalette.core.edits.variants import set_value

    _app = make_application()
    window = MainWindow()
    window.show()
    window.project.open_demo(into=Path(tempfile.mkdtemp()))
    end = time.monotonic() + 30
    while time.monotonic() < end and (not window.session.state.region_ids or not window.views.pictures.is_empty):
        QTest.qWait(30)
    QTest.qWait(3000)
    session = window.session
    ticks: list[float] = []
    timer = QTimer(interval=0)
    timer.timeout.connect(lambda: ticks.append(time.perf_counter()))
    timer.start()
    gaps, calm = [], []
    for round_ in range(20):
        planes = {key: 255 - plane for key, plane in session.state.coverages.items()}
        session.commit("invert", replace(session.state, coverages=planes))
        while not (session.tasks.is_idle and window.views.pictures.is_empty):
            QTest.qWait(20)
        for found in (calm, gaps):
            ticks.clear()
            if found is gaps:
                session.save()
            color = f"#{100 + 2 * round_ + (found is gaps):02x}60a0"
            parameter = session.state.project.recipe.parameters[0].id
            session.apply("slide", lambda s, c=color, p=parameter: set_value(s, None, p, c), "slide")
            until = time.monotonic() + 0.4
            while time.monotonic() < until or not session.saving.is_idle:
                QTest.qWait(1)
            found.append(max(b - a for a, b in itertools.pairwise(ticks)))
    spread("Longest pause of the window while a slider moves", calm)
    spread("  the same while the demo is saved", gaps)
    os._exit(0)


def textures() -> None:
    """The longest pauses of the window while a mesh with two textures of 4096 is brought in and comes to be drawn."""
    import cv2
    import numpy as np
    import trimesh
    from PyQt6.QtCore import QTimer
    from PyQt6.QtTest import QTest

    from evenpalette.app.main import make_application
    from evenpalette.app.window import MainWindow

    folder, rng = Path(tempfile.mkdtemp()), np.random.default_rng(1)
    for name in ("painted.png", "grime.png"):
        coarse = rng.integers(0, 256, (256, 256, 3), np.uint8)
        cv2.imwrite(str(folder / name), cv2.resize(coarse, (4096, 4096), interpolation=cv2.INTER_CUBIC))
    ball = trimesh.creation.icosphere(subdivisions=4)
    x, y, z = ball.vertices.T
    uv = np.stack([np.arctan2(y, x) / (2 * np.pi) + 0.5, np.arccos(z.clip(-1, 1)) / np.pi], -1)
    ball.visual = trimesh.visual.TextureVisuals(uv=uv)
    (folder / "ball.obj").write_text(ball.export(file_type="obj"))
    _app = make_application()
    window = MainWindow()
    window.show()
    QTest.qWait(2000)
    ticks: list[float] = []
    timer = QTimer(interval=0)
    timer.timeout.connect(lambda: ticks.append(time.perf_counter()))
    timer.start()
    window.take_files([folder / "ball.obj", folder / "painted.png", folder / "grime.png"])
    calm_for = 0.0
    while calm_for < 1:
        start = time.monotonic()
        QTest.qWait(10)
        calm = window.session.is_calm and window.views.pictures.is_empty and not window.views.is_waiting
        calm_for = calm_for + time.monotonic() - start if calm and window.session.state.mesh else 0.0
    spread(
        "Longest pauses while two textures of 4096 come in", sorted(b - a for a, b in itertools.pairwise(ticks))[-5:]
    )
    os._exit(0)


_DEMO = """
import sys, tempfile, time
from pathlib import Path
from evenpalette.app.main import make_application; app = make_application()
from evenpalette.app.window import MainWindow; w = MainWindow(); w.show()
def done():
    if w.session.state.region_ids: print(time.process_time(), flush=True); __import__('os')._exit(0)
w.views.painted.connect(done); w.project.open_demo(into=Path(tempfile.mkdtemp())); app.exec()
"""


def start() -> None:
    """Warm start of `evenpalette demo` to a painted window."""
    against_empty("Warm start of the demo to a painted window", _DEMO, [], 4.0)


_CHANGES = """
import sys, tempfile, time
from pathlib import Path
from PyQt6.QtTest import QTest
from evenpalette.app.main import make_application; app = make_application()
from evenpalette.app.window import MainWindow; from evenpalette.core.edits.variants import set_value
w = MainWindow(); w.show(); w.project.open_demo(into=Path(tempfile.mkdtemp()))
s = w.session
while not (s.state.region_ids and s.is_calm and w.views.pictures.is_empty and not w.views.is_waiting): QTest.qWait(30)
QTest.qWait(800)
parameter, spent = s.state.project.recipe.parameters[0].id, time.process_time()
for n in range(40):
    if sys.argv[1] == "slider": s.apply("slide", lambda st: set_value(st, None, parameter, f"#{100 + n:02x}60a0"), "slide")
    else: w.rail.update(0, 0, 60, 20)
    QTest.qWait(40)
print((time.process_time() - spent) / 40, flush=True); __import__('os')._exit(0)
"""


def pictures() -> None:
    """Processor time of a moved slider and of a label that changes, where pictures are read back, against a window that
    OpenGL puts together."""
    for what in ("slider", "label"):
        pairs = []
        for _ in range(3):
            for way in ("read", "composed"):
                os.environ["EVENPALETTE_PICTURES"] = way
                pairs.append(seconds(_CHANGES, what))
        ours, other = statistics.median(pairs[::2]), statistics.median(pairs[1::2])
        print(
            f"Processor time of a {what} that changes: {ours / other:.2f} of a window that OpenGL puts together ({ours * 1000:.1f} to {other * 1000:.1f} ms)"
        )
        note(f"Pictures read back, a {what} that changes", ours / other)


if __name__ == "__main__":
    {"slider": slider, "saving": saving, "textures": textures, "pictures": pictures}.get(
        (sys.argv[1:] or [""])[0], start
    )()
