"""What OpenGL draws is seen in a window, however the driver wants it put there."""

import os
import subprocess
import sys
from pathlib import Path

import moderngl
import numpy as np
import pytest
from numpy.typing import NDArray
from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QWidget

from evenpalette.app.widgets.gl_widget import GlWidget
from evenpalette.app.widgets.pixels import pixels_of
from evenpalette.core.edits.variants import set_value
from tests.helpers.hand import Hand
from tests.ui.conftest import closed, opened

WAYS = pytest.mark.parametrize("way", ["read", "composed"])
RED, GREEN, BLUE, GRAY = (255, 0, 0), (0, 255, 0), (0, 0, 255), (128, 128, 128)


class Halves(GlWidget):
    """Red above green, or a box drawn over what stands there; a blue line is painted down the middle."""

    def __init__(self) -> None:
        super().__init__()
        self.count, self.box = 0, QRect()

    def initialize_gl(self, ctx: moderngl.Context) -> None:
        self.ctx = ctx

    def _fill(self, target: moderngl.Framebuffer, box: QRect, color: tuple[int, ...]) -> None:
        self.ctx.scissor = (box.left(), target.height - box.bottom() - 1, box.width(), box.height())
        target.clear(*(v / 255 for v in color), 1.0)

    def paint_gl(self, target: moderngl.Framebuffer) -> list[QRect] | None:
        self.count += 1
        if not self.box.isEmpty():
            self._fill(target, self.box, GRAY)
            return [self.box]
        width, height = self.width(), self.height()
        self._fill(target, QRect(0, 0, width, height), GREEN)
        self._fill(target, QRect(0, 0, width, height // 2), RED)
        return None

    def paint_over(self, painter: QPainter) -> None:
        painter.fillRect(self.width() // 2, 0, 2, self.height(), QColor(*BLUE))


def pixels(image: QImage) -> NDArray[np.uint8]:
    return pixels_of(image.convertToFormat(QImage.Format.Format_RGB888))


def seen(widget: QWidget) -> NDArray[np.uint8]:
    """What the screen shows where a widget is."""
    window = widget.window()
    corner = widget.mapTo(window, QPoint(0, 0))
    grabbed = window.screen().grabWindow(window.winId(), corner.x(), corner.y(), widget.width(), widget.height())
    return pixels(grabbed.toImage())


def assert_halves(picture: NDArray[np.uint8], halves: Halves, box: QRect | None = None) -> None:
    """Every pixel, but for those of the label."""
    expected = np.empty((halves.height(), halves.width(), 3), np.uint8)
    expected[: halves.height() // 2], expected[halves.height() // 2 :] = RED, GREEN
    if box is not None:
        expected[box.top() : box.bottom() + 1, box.left() : box.right() + 1] = GRAY
    middle = halves.width() // 2
    expected[:, middle : middle + 2] = BLUE
    assert picture.shape == expected.shape
    np.testing.assert_array_equal(picture[40:], expected[40:])


@WAYS
def test_all_of_it_and_parts_are_seen_where_they_were_drawn(
    way: str, qapp: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("EVENPALETTE_PICTURES", way)
    window = QWidget()
    halves, label = Halves(), QLabel("one")
    halves.setParent(window)
    label.setParent(halves)
    label.setGeometry(4, 4, 60, 24)
    window.resize(300, 260)
    halves.setGeometry(10, 20, 211, 163)
    window.show()
    QTest.qWaitForWindowExposed(window)

    def settle() -> None:
        for _ in range(5):
            QTest.qWait(20)

    settle()
    assert_halves(seen(halves), halves)
    halves.box = QRect(30, 70, 100, 41)
    halves.update()
    settle()
    assert_halves(seen(halves), halves, halves.box)
    np.testing.assert_array_equal(pixels(halves.picture())[40:], seen(halves)[40:])
    # Words over it that change draw nothing again.
    settle()
    before = halves.count
    label.setText("two")
    settle()
    assert halves.count == before
    assert_halves(seen(halves), halves, halves.box)
    # Where there is room for more, all of it is drawn.
    halves.box = QRect()
    halves.setGeometry(10, 20, 250, 201)
    settle()
    assert_halves(seen(halves), halves)
    window.close()
    window.deleteLater()
    QTest.qWait(20)


def test_contexts_that_egl_makes_are_drawn_in_as_those_of_glx() -> None:
    """Wayland knows only EGL; Qt can be told to take it under X too."""
    around = {**os.environ, "QT_XCB_GL_INTEGRATION": "xcb_egl"}
    told = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider", __file__, "-k", "seen_where_they_were_drawn"]
    ran = subprocess.run(told, env=around, capture_output=True, text=True, check=False)
    assert ran.returncode == 0, ran.stdout


def test_the_window_shows_the_same_whichever_way(hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The suite's own window reads pictures back, for a processor draws them; one that is put together by OpenGL shows
    each pixel of the views the same, also after a value and the camera have changed."""
    monkeypatch.setenv("EVENPALETTE_PICTURES", "composed")
    other = opened()
    try:
        done: list[bool] = []
        other.window.project.open_demo(into=tmp_path / "again", then=lambda: done.append(True))
        other.wait(lambda: done and other.session.state.region_ids and other.session.station == "recipe")
        other.window.resize(hand.window.size())
        other.wait()
        for each in (hand, other):
            each.session.apply("slide", lambda s: set_value(s, None, s.project.parameters[0].id, "#2050c0"), "slide")
            QTest.keyClick(each.window.views, Qt.Key.Key_Right)
            each.wait(lambda each=each: not each.window.views.is_waiting)
        QTest.qWait(600)
        pictures = [hand.picture(), other.picture()]
        np.testing.assert_array_equal(*pictures)
        for each, picture in zip((hand, other), pictures, strict=True):
            QTest.qWait(200)
            shown = seen(each.window.views)
            np.testing.assert_array_equal(shown[60:], picture[60:])
    finally:
        closed(other)


def test_where_nothing_can_be_drawn_it_is_said_in_a_line_and_nothing_breaks(tmp_path: Path) -> None:
    """Mesa offers only OpenGL 2.1 when it is told to."""
    around = {**os.environ, "MESA_GL_VERSION_OVERRIDE": "2.1", "EVENPALETTE_STATE": str(tmp_path)}
    with subprocess.Popen(
        [sys.executable, "-m", "evenpalette"], stderr=subprocess.PIPE, text=True, env=around
    ) as program:  # fmt: skip
        assert program.stderr is not None
        said = program.stderr.readline()
        # It stands in a window too, until somebody has read it.
        assert program.poll() is None
        program.kill()
        assert said.startswith("evenpalette: Pictures are drawn with OpenGL 3.3")
        assert "install" in said
        assert not program.stderr.read()
