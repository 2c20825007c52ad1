"""What an art lead waits for: the matrix of many variants, all pairs through three kinds of eyes, a contact sheet."""

import os
import tempfile
import time
from pathlib import Path

from benchmarks.timing import spread
from evenpalette.core.color.vision import Vision
from evenpalette.core.delivery.contact_sheet import SheetWish, write_sheet
from evenpalette.core.document.state import State
from evenpalette.core.document.variant import Variant
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage
from evenpalette.core.values import ValueType
from evenpalette.core.variants.compare import Comparison


def many(state: State, variants: int, parameters: int) -> State:
    """The demo with so many variants and parameters, each color of each another one."""
    told = list(state.project.parameters)
    for k in range(parameters - len(told)):
        kind = ValueType.COLOR if k % 2 else ValueType.NUMBER
        told.append(Parameter(id=f"more-{k}", name=f"More {k}", type=kind, default="#123456" if k % 2 else 0.5))
    colors = [p.id for p in told if p.type is ValueType.COLOR]
    made = list(state.project.variants)
    for k in range(variants - len(made)):
        values = {key: f"#{(k * 7919 + at * 104729) % (1 << 24):06x}" for at, key in enumerate(colors)}
        made.append(Variant(id=f"variant-{k}", name=f"Variant {k}", values=values))
    return state.with_project(parameters=tuple(told), variants=tuple(made))


def pairs(state: State) -> None:
    """All pairs of 200 variants."""
    start = time.perf_counter()
    looked = Comparison(many(state, 200, len(state.project.parameters)))
    for vision in (Vision(), Vision("deuteranomaly"), Vision("tritanomaly")):
        looked.pairs(vision)
    print(f"All pairs of 200 variants, three kinds of vision: {time.perf_counter() - start:.1f} s, wanted 10")


def sheet(state: State) -> None:
    """40 variants from four sides on A4."""
    with tempfile.TemporaryDirectory() as folder:
        path, start = Path(folder) / "sheet.pdf", time.perf_counter()
        pages = write_sheet(many(state, 40, len(state.project.parameters)), path, SheetWish(sides=4))
        took, size = time.perf_counter() - start, path.stat().st_size / 2**20
    print(
        f"A contact sheet of 40 variants, four sides, {pages} pages: {took:.1f} s and {size:.1f} MiB, wanted 20 and 10"
    )


def matrix(state: State) -> None:
    """200 variants by 40 parameters: scrolled, and a value set."""
    from PyQt6.QtTest import QTest

    from evenpalette.app.main import make_application
    from evenpalette.app.window import MainWindow

    app = make_application()
    window = MainWindow()
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.session.open_state(many(state, 200, 40), None, "bench")
    window.session.set_station("variants")
    QTest.qWait(4000)
    window.matrix.toggle()
    QTest.qWait(3000)
    table, bar = window.matrix.table, window.matrix.table.verticalScrollBar()
    assert bar is not None
    viewport = table.viewport()
    assert viewport is not None
    times = []
    for turn in range(30):
        start = time.perf_counter()
        bar.setValue(turn * 180)
        viewport.repaint()
        times.append(time.perf_counter() - start)
    spread("Matrix of 200 by 40, scrolled by some lines, wanted 50 ms", times)
    times = []
    key = window.session.state.project.parameters[0].id
    for turn in range(30):
        start = time.perf_counter()
        window.matrix.set_values(key, [window.session.state.project.variants[3].id], f"#{turn + 16:02x}4050")
        viewport.repaint(0, table.rowViewportPosition(4), viewport.width(), table.rowHeight(4))
        times.append(time.perf_counter() - start)
        app.processEvents()
    spread("Matrix of 200 by 40, a value set until the line is drawn, wanted 50 ms", times)
    os._exit(0)


def run() -> None:
    """Print them all."""
    with tempfile.TemporaryDirectory() as folder:
        state = Storage(copy_demo(Path(folder) / "demo")).open()
    pairs(state)
    sheet(state)
    matrix(state)


if __name__ == "__main__":
    run()
