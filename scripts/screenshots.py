"""Pictures of the main views from the demo data, for the README: `make screenshots`."""

import math
import os
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from evenpalette.app.main import make_application
from evenpalette.app.stations.regions import RegionsBench
from evenpalette.app.window import MainWindow
from evenpalette.core.project.edits.operations import freeze
from evenpalette.gpu.look import Show

OUT = Path(__file__).parents[1] / "docs" / "screenshots"


class Photographer:
    """Drives the window and takes pictures of it when nothing moves any more."""

    def __init__(self, out: Path) -> None:
        self.out = out
        self.app = make_application()
        self.window = MainWindow()
        self.window.may_leave = lambda: True  # type: ignore[method-assign]
        self.window.show()
        QTest.qWaitForWindowExposed(self.window)
        self.market = Path(tempfile.mkdtemp()) / "lantern-market"

    def settle(self) -> None:
        """Wait until work and small pictures are done."""
        end = time.monotonic() + 30
        QTest.qWait(150)
        while time.monotonic() < end and (
            not self.window.session.tasks.is_idle or not self.window.views.pictures.is_empty
        ):
            QTest.qWait(30)
        QTest.qWait(400)

    def take(self, name: str) -> None:
        """Save a picture."""
        self.settle()
        # From the screen: drawing a widget into a picture leaves out what is painted over OpenGL.
        screen = self.window.screen()
        assert screen is not None
        screen.grabWindow(int(self.window.winId())).save(str(self.out / f"{name}.png"))

    def demo(self, name: str) -> None:
        """Open a demo project."""
        self.window.open_demo(name, self.market / name)
        self.settle()


def _regions(camera: Photographer) -> None:
    """The pages of the station Regions."""
    window, session, views = camera.window, camera.window.session, camera.window.views
    session.set_station("regions")
    for box in (views.form_stage, views.flat_stage):
        box.setCurrentIndex(box.findData(Show.ID))
    bench = window.benches["regions"]
    assert isinstance(bench, RegionsBench)
    rect = views.form_rect()
    bench.pages.open("Faces")
    bench.faces.toggle.setChecked(True)
    views.face_tool.reach = "group"
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=QPoint(rect.center().x(), 140))
    QTest.mouseMove(views, QPoint(20, 300))
    camera.take("regions-faces")
    bench.faces.toggle.setChecked(False)
    bench.faces._none()
    bench.pages.open("Operations")
    for kind in ("root_tip", "grow"):
        bench.operations.add_kind(kind)
        camera.settle()
    camera.take("regions-operations")
    session.undo()
    session.undo()
    bench.pages.open("Encodings")
    bench.encodings.run()
    camera.take("regions-encodings")
    bench.pages.open("Paint")
    session.apply("Freeze", lambda s: freeze(s, s.region_ids))
    bench.paint.add_region()
    bench.paint.simulate.setChecked(True)
    camera.settle()
    middle = rect.center() + QPoint(0, 64)
    QTest.mousePress(views, Qt.MouseButton.LeftButton, pos=middle - QPoint(90, 8))
    for x in range(-90, 90, 4):
        QTest.mouseMove(views, middle + QPoint(x, round(9 * math.sin(x / 14))))
        QTest.qWait(8)
    QTest.mouseRelease(views, Qt.MouseButton.LeftButton, pos=middle + QPoint(90, 0))
    QTest.mouseMove(views, middle + QPoint(40, -60))
    camera.take("regions-paint")


def main() -> None:
    """All pictures."""
    out = Path(sys.argv[1]) if len(sys.argv) > 1 else OUT
    out.mkdir(parents=True, exist_ok=True)
    camera = Photographer(out)
    window, session, views = camera.window, camera.window.session, camera.window.views
    camera.take("empty")
    camera.demo("moth-lantern")
    for station in window.benches:
        session.set_station(station)
        views.flat_stage.setCurrentIndex(views.flat_stage.findData(Show.ID) if station == "regions" else 0)
        views.form_stage.setCurrentIndex(views.form_stage.findData(Show.ID) if station == "regions" else 0)
        if station == "recipe":
            soot = next(s for s in session.state.project.recipe.steps if s.name == "Soot")
            session.select_step(soot.id)
            views.set_pointer((0.10, 0.50))
        if station == "variants":
            views.set_against(session.state.project.variants[1].id)
        camera.take(station)
        views.set_against("")
        views.set_pointer(None)
    _regions(camera)
    camera.demo("pennant")
    camera.take("pennant")
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main()
