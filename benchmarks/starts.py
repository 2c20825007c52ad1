"""Processor time to a first picture, against an empty Qt window with NumPy that compiles the same shaders."""

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from benchmarks.history import note

#: Draws a triangle with each shader of a file.
_EMPTY = """
import json, sys, time
import moderngl, numpy
from PyQt6.QtGui import QSurfaceFormat
from PyQt6.QtOpenGLWidgets import QOpenGLWidget
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMainWindow
from evenpalette.gpu.software import compile_quickly
compile_quickly()
kind = QSurfaceFormat(); kind.setVersion(3, 3); kind.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
QSurfaceFormat.setDefaultFormat(kind)
app = QApplication([])
class Empty(QOpenGLWidget):
    done = False
    def paintGL(self):
        ctx = moderngl.create_context()
        for vertex, fragment in json.load(open(sys.argv[1])):
            program = ctx.program(vertex, fragment)
            held = ctx.buffer(numpy.array([[0, 0], [4, 0], [0, 4]], "f4").tobytes())
            if "u_clip" in program: program["u_clip"] = tuple(numpy.eye(4).reshape(-1))
            image = ctx.texture((2, 2), 4, bytes(16)); image.build_mipmaps(); image.use(0)
            target = ctx.framebuffer([ctx.renderbuffer((4, 4)) for _ in range(fragment.count("layout(location") or 1)])
            target.use()
            ctx.vertex_array(program, [(held, "2f", next(iter(n for n in program if isinstance(program[n], moderngl.Attribute))))]).render(moderngl.TRIANGLES, 3)
        ctx.finish()
        self.done = True
window = QMainWindow(); inside = Empty(); window.setCentralWidget(inside); window.resize(1280, 800); window.show()
while not inside.done: QTest.qWait(10)
print(time.process_time())
"""


def seconds(code: str, *words: str) -> float:
    """The number that a program of its own prints last; it is told nothing that our package has said to libraries."""
    around = {name: value for name, value in os.environ.items() if name != "OPENBLAS_NUM_THREADS"}
    done = subprocess.run(
        [sys.executable, "-c", code, *words], capture_output=True, text=True, check=False, env=around, timeout=120
    )
    return float(done.stdout.split()[-1]) if done.returncode == 0 and done.stdout.split() else float("nan")


def against_empty(
    label: str, code: str, words: Sequence[str], wanted: float, shaders: Sequence[tuple[str, str]] = ()
) -> None:
    """Print how many times an empty window with these shaders a program takes; both in turn, since shared machines are
    faster and slower by the minute."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "shaders.json"
        file.write_text(json.dumps(list(shaders)))
        given = (_EMPTY, str(file)), (code, *words)
        empty, ours = np.median([[seconds(*one) for one in given] for _ in range(9)], axis=0)
    print(
        f"{label}: {ours / empty:.2f} times an empty Qt window with NumPy{' and the same shaders' if shaders else ''} "
        f"({ours:.2f} s to {empty:.2f} s of processor time), wanted {wanted:g}"
    )
    note(label, float(ours / empty))
