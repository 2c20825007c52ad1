"""Steps are added without the window waiting for their shader."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

#: What Mesa keeps on disk tells what was compiled, and by whom.
_CODE = """
import os, pathlib, sys, time
from PyQt6.QtTest import QTest
from evenpalette.app.main import make_application
from evenpalette.core.project.edits import recipe
from evenpalette.gpu import programs
kept = pathlib.Path(os.environ['MESA_SHADER_CACHE_DIR'])
def size():
    return sum(file.stat().st_size for file in kept.rglob('*') if file.is_file() and not file.name.startswith('index'))
def settled():
    before = -1
    while before != size():
        before = size(); time.sleep(0.2)
    return before
beforehand, rehearse = [], programs.rehearse
def noted(job):
    rehearse(job); beforehand.append(job)
programs.rehearse = noted
app = make_application()
from evenpalette.app.window import MainWindow
w = MainWindow(); w.show(); w.project.open_demo(sys.argv[2], into=pathlib.Path(sys.argv[1]))
s = w.session
def calm():
    for _ in range(2000):
        QTest.qWait(20)
        if s.state.mesh is not None and s.is_calm and w.views.pictures.is_empty and not w.views.is_waiting:
            return
    raise SystemExit('never calm')
calm(); QTest.qWait(400); calm()
start = settled()
painted = []
w.views.painted.connect(lambda: painted.append(len(beforehand)))
s.apply('Add', lambda state: recipe.add_step(state, 'grade', (state.region_ids[0],), 3))
while len(beforehand) < 2:
    QTest.qWait(5)
sent = settled()
calm(); QTest.qWait(400); calm()
print(start, sent, settled(), painted[0], len(beforehand), flush=True)
os._exit(0)
"""


@pytest.mark.parametrize("demo", ["moth-lantern", "pennant"])
def test_what_a_new_step_is_drawn_with_was_compiled_beside_the_window(tmp_path: Path, demo: str) -> None:
    """The last picture is painted while the shaders of Form, Flat and the small pictures are made, and drawing with them
    makes the driver compile nothing more. Needs a driver that keeps what it compiled on disk."""
    done = subprocess.run(
        [sys.executable, "-c", _CODE, str(tmp_path / "demo"), demo], capture_output=True, text=True, timeout=200, check=False,
        env={**os.environ, "MESA_SHADER_CACHE_DIR": str(tmp_path / "kept"), "MESA_SHADER_CACHE_DISABLE": "false"},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-600:]
    start, sent, drawn, painted, jobs = map(int, done.stdout.split())
    if not start:
        pytest.skip("this driver keeps nothing on disk")
    assert painted == 0
    assert jobs == 2
    assert start < sent == drawn
