"""Pictures of the main views from the demo data, for the README: `make screenshots`."""

import os
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtTest import QTest

from evenpalette.app.main import make_application
from evenpalette.app.window import MainWindow
from evenpalette.gpu.look import Show

OUT = Path(__file__).parents[1] / "docs" / "screenshots"


class Photographer:
    """Drives the window and takes pictures of it when nothing moves any more."""

    def __init__(self, out: Path) -> None:
        self.out = out
        self.app = make_application()
        self.window = MainWindow()
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
    camera.demo("pennant")
    camera.take("pennant")
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main()
