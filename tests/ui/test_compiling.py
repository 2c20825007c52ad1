"""Steps are added without the window waiting for their shader."""

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from evenpalette.core.document.state import State
from evenpalette.core.edits import recipe
from evenpalette.core.recipe.recipe import Binding
from tests.helpers.hand import Hand

#: What Mesa keeps on disk tells what was compiled, and by whom.
_CODE = """
import os, pathlib, sys, time
from PyQt6.QtTest import QTest
from evenpalette.app.main import make_application
from evenpalette.core.edits import recipe
from evenpalette.gpu import programs
kept = pathlib.Path(os.environ['MESA_SHADER_CACHE_DIR'])
def size():
    return sum(file.stat().st_size for file in kept.rglob('*') if file.is_file() and not file.name.startswith('index'))
def settled():
    before = -1
    while before != size():
        before = size(); time.sleep(0.2)
    return before
beforehand, precompile = [], programs.precompile
def noted(job):
    precompile(job); beforehand.append(job)
programs.precompile = noted
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
    """The last picture is painted while the shaders of Form, Flat and the small pictures are made, and drawing with
    them makes the driver compile nothing more. Needs a driver that keeps what it compiled on disk."""
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


def test_the_picture_that_is_asked_for_is_that_of_the_document_and_the_last_one_stands_meanwhile(hand: Hand) -> None:
    """A step that turns the paper's hue: what is painted at once is the old picture, what is grabbed is the new one,
    and when the shader has come the views show it by themselves."""
    views, session = hand.window.views, hand.session
    hand.wait(lambda: views.pictures.is_empty)
    before = hand.form_and_flat()[1]
    painted: list[bool] = []
    views.painted.connect(lambda: painted.append(views.is_waiting))

    def turned(state: State) -> State:
        made = recipe.add_step(state, "hue_shift", (state.region_ids[0],), 1, step_id="turn")
        return recipe.bind_input(made, "turn", "angle", Binding(value=140.0))

    session.apply("Turn", turned)
    hand.wait_busy(lambda: bool(painted))
    assert painted[0]
    assert np.abs(hand.form_and_flat()[1] - before).max() > 40
    hand.wait(lambda: not views.is_waiting)
    assert np.abs(hand.form_and_flat()[1] - before).max() > 40
    session.undo()
    hand.wait(lambda: not views.is_waiting)
    assert np.abs(hand.form_and_flat()[1] - before).max() <= 1
