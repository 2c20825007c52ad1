"""How soon the window shows what was asked: a moved slider, and a warm start."""

import itertools
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from benchmarks.timing import spread

SLIDES = 60


def slider() -> None:
    """From a changed value to the painted frame of both views, at 1280 x 800 with the demo open."""
    from PyQt6.QtTest import QTest

    from evenpalette.app.main import make_application
    from evenpalette.app.window import MainWindow
    from evenpalette.core.project.edits.variants import set_value

    _app = make_application()
    window = MainWindow()
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.project.open_demo(into=Path(tempfile.mkdtemp()))
    end = time.monotonic() + 30
    while time.monotonic() < end and (not window.session.state.region_ids or (not window.views.pictures.is_empty)):
        QTest.qWait(30)
    QTest.qWait(500)
    session, views = window.session, window.views
    parameter = session.state.project.recipe.parameters[0].id
    variant = session.state.project.active_variant
    painted: list[float] = []
    views.painted.connect(lambda: painted.append(time.perf_counter()))
    times = []
    for index in range(SLIDES):
        color = f"#{100 + index:02x}60a0"
        start = time.perf_counter()
        session.apply("slide", lambda s, c=color: set_value(s, variant, parameter, c), "slide")
        painted.clear()
        while not painted:
            QTest.qWait(0)
        times.append(painted[0] - start)
    spread(f"Moved slider to both views painted, {views.width()} x {views.height()} pixels", times)
    os._exit(0)


def saving() -> None:
    """The longest time that the window does nothing else while the demo, with all its coverages changed, is saved and
    a slider is moved."""
    from dataclasses import replace

    from PyQt6.QtCore import QTimer
    from PyQt6.QtTest import QTest

    from evenpalette.app.main import make_application
    from evenpalette.app.window import MainWindow
    from evenpalette.core.project.edits.variants import set_value

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


def start() -> None:
    """Warm start of `evenpalette demo` to a painted window."""
    code = (
        "import sys, time; t = float(sys.argv[1])\n"
        "import tempfile; from pathlib import Path\n"
        "from evenpalette.app.main import make_application; app = make_application()\n"
        "from evenpalette.app.window import MainWindow; w = MainWindow(); w.show()\n"
        "def done():\n"
        "    if w.session.state.region_ids: print(time.time() - t, time.process_time(), flush=True); __import__('os')._exit(0)\n"
        "w.views.painted.connect(done); w.open_demo(into=Path(tempfile.mkdtemp())); app.exec()\n"
    )
    times, busy = [], []
    for _ in range(4):
        done = subprocess.run(
            [sys.executable, "-c", code, str(time.time())], capture_output=True, text=True, timeout=120
        )
        wall, used = (float(word) for word in done.stdout.split()[-2:])
        times.append(wall)
        busy.append(used)
    spread("Warm start of the demo to a painted window", times[1:])
    spread("  processor time of it, drawing by software included (wanted 1500)", busy[1:])


if __name__ == "__main__":
    {"slider": slider, "saving": saving}.get((sys.argv[1:] or [""])[0], start)()
