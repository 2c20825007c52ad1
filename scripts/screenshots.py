"""Pictures of the main views from the demo data, for the README: `make screenshots`."""

import math
import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from evenpalette.app.main import make_application
from evenpalette.app.stations import STATIONS
from evenpalette.app.stations.regions.bench import RegionsBench
from evenpalette.app.window import MainWindow
from evenpalette.core.crowd import LAID
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.layouts.read import beginnings
from evenpalette.core.document.project import Role
from evenpalette.core.edits import ramps
from evenpalette.core.edits.bakes import add_bake, outdated, set_bake
from evenpalette.core.edits.crowd import change_crowd
from evenpalette.core.edits.layouts import with_layout
from evenpalette.core.edits.refining import freeze
from evenpalette.core.edits.variants import activate
from evenpalette.core.light.lamps import Light
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage
from evenpalette.core.tones.ramps import LOUD
from evenpalette.player.window import PlayerWindow

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
GUIDE = OUT.parent / "guide" / "pictures"
_GUIDE_WIDTH = 960


class Photographer:
    """Drives the window and takes pictures of it when nothing moves any more."""

    def __init__(self, out: Path, guide: Path | None) -> None:
        self.out, self.guide = out, guide
        # A new user's window, and nothing is left in the folders of this one.
        own = tempfile.mkdtemp(prefix="evenpalette-pictures-")
        os.environ["EVENPALETTE_STATE"], os.environ["XDG_CONFIG_HOME"] = f"{own}/state", f"{own}/config"
        self.app = make_application()
        self.window = MainWindow()
        self.window.project.may_leave = lambda: True  # type: ignore[method-assign]
        self.window.show()
        QTest.qWaitForWindowExposed(self.window)
        self.market = Path(tempfile.mkdtemp()) / "lantern-market"

    def settle(self, most: float = 30.0) -> None:
        """Wait until work and small pictures are done."""
        end = time.monotonic() + most
        QTest.qWait(150)
        while time.monotonic() < end and (
            not self.window.session.tasks.is_idle or not self.window.views.pictures.is_empty
        ):
            QTest.qWait(30)
        QTest.qWait(400)

    def take(self, name: str, *, guide_only: bool = False, of: QWidget | None = None) -> None:
        """Save a picture; of a lesser view for the guide alone. of: another window."""
        self.settle()
        # From the screen: drawing a widget into a picture leaves out what is painted over OpenGL.
        screen = self.window.screen()
        assert screen is not None
        taken = screen.grabWindow((of or self.window).winId())
        if not guide_only:
            taken.save(str(self.out / f"{name}.png"))
        if self.guide is not None:
            # As the guide shows it, in the window and beside its text.
            smaller = taken.scaledToWidth(_GUIDE_WIDTH, Qt.TransformationMode.SmoothTransformation)
            smaller.save(str(self.guide / f"{name}.webp"), "WEBP", 80)

    def demo(self, name: str) -> None:
        """Open a demo project."""
        self.window.project.open_demo(name, self.market / name)
        self.settle()


def _regions(camera: Photographer) -> None:
    """The pages of the station Regions."""
    window, session, views = camera.window, camera.window.session, camera.window.views
    session.set_station("regions")
    bench = window.bench("regions")
    assert isinstance(bench, RegionsBench)
    rect = views.frame.form
    bench.pages.open("Faces")
    bench.faces.toggle.setChecked(True)
    views.face_tool.reach = "group"
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=QPoint(rect.center().x(), 140))
    QTest.mouseMove(views, QPoint(20, 300))
    camera.take("regions-faces", guide_only=True)
    bench.faces.toggle.setChecked(False)
    session.selection.select_faces(np.zeros_like(session.selection.faces))
    bench.pages.open("Operations")
    for kind in ("root_tip", "grow"):
        bench.operations.add_kind(kind)
        camera.settle()
    camera.take("regions-operations", guide_only=True)
    session.undo()
    session.undo()
    bench.pages.open("Encodings")
    bench.encodings.run()
    camera.take("regions-encodings", guide_only=True)
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


def _crowd(camera: Photographer) -> None:
    """The lantern along a street at dusk, a copy chosen; all values of all variants."""
    window, session, views = camera.window, camera.window.session, camera.window.views
    session.apply("Crowd", lambda s: change_crowd(s, count=36, laid="street", spacing=0.8))
    views.headers.crowd.setChecked(True)
    while not views.crowd.is_shown or views.is_waiting:
        QTest.qWait(30)
    views.crowd.set_light(hour=0.35)
    views.crowd.choose(33)
    camera.take("crowd")
    views.headers.crowd.setChecked(False)
    session.undo()
    window.matrix.toggle()
    window.matrix.sort_by(0)
    camera.take("matrix", of=window.matrix)
    window.matrix.sort_by(0)
    window.matrix.sort_by(0)
    window.matrix.close_matrix()


def _surface(camera: Photographer) -> None:
    """The finish of the night variant beside its roughness, glowing."""
    session, views = camera.window.session, camera.window.views
    session.set_station("recipe")
    session.apply("Night", lambda s: activate(s, s.project.variants[1].id))
    views.headers.flat_stage.setCurrentIndex(views.headers.flat_stage.findData("roughness"))
    session.selection.select_step("step-finish")
    views.shown.set_light(Light("night", filmic=True, bloom=0.4))
    camera.take("surface")
    views.shown.set_light(Light())


def _tones(camera: Photographer) -> None:
    """The Tea Tin: its palette by night, a ramp along its colors, and what a game sees of its index art."""
    camera.demo("tea-tin")
    window, session = camera.window, camera.window.session
    session.set_station("tones")
    session.apply("Night", lambda s: activate(s, s.project.variants[2].id))
    bench = window.bench("tones")
    bench.pages.open("Palette")
    camera.settle()
    bench.palette_page.field.choose(2, 26)
    camera.take("palette")
    bench.pages.open("Ramp")
    painted = session.state.project.asset.with_role(Role.PAINTED)[0].id
    session.apply("Ramp", lambda s: ramps.add_ramp(s, ramps.ramp_of_picture(s, painted, 7), "canal"))
    strip = ramps.strips_with_ramps(session.state)[0].id
    session.apply("Row", lambda s: ramps.set_ramps(s, strip, [*ramps.ramps_of(s, strip), LOUD]))
    session.apply("Lay", lambda s: ramps.lay_ramp(s, strip))
    camera.settle()
    bench.ramps.field.choose_row(0)
    camera.take("ramp")
    session.undo()
    bench.pages.open("In the game")
    index = next(t.id for t in session.state.project.asset.textures if t.strip)
    bench.game.texture.setCurrentIndex(bench.game.texture.findData(index))
    bench.game.run()
    camera.settle(120)
    views = camera.window.views
    bench.game.table.selectRow(2)
    camera.settle()
    views.shown.show_flat("texture:game")
    camera.take("in-the-game", guide_only=True)


def _mend(camera: Photographer) -> None:
    """A texture made twice as large, before and after."""
    camera.window.session.set_station("asset")
    bench = camera.window.bench("asset")
    bench.pages.open("Mend")
    page = bench.pages.currentWidget()
    page.enlarge.setCurrentIndex(1)
    page.noise.set_value(1.0)
    page.noise.edited.emit(1.0)
    camera.settle()
    camera.take("mend")
    bench.pages.open("Files")


def _bakes(camera: Photographer) -> None:
    """What stands out on the lantern, before its ramp and with it; the document is as it was afterwards."""
    session, bench = camera.window.session, camera.window.bench("asset")
    before = session.state
    session.apply("Bake", lambda s: add_bake(s, "curvature", {"radius": 0.03}, size=512)[0])
    made = session.state.project.asset.textures[-1].id
    bench.pages.open("Bakes")
    while not session.is_calm or list(outdated(session.state)):
        QTest.qWait(50)
    bench.bakes.choose(made)
    session.apply("Ramp", lambda s: set_bake(s, made, ramp={"low": 0.5, "high": 0.8}))
    while not session.is_calm or list(outdated(session.state)):
        QTest.qWait(50)
    bench.bakes.look_at(0.8, 0.2)
    camera.take("bakes")
    bench.pages.open("Files")
    session.apply("No bake", lambda _: before)


def _layout(camera: Photographer) -> None:
    """A layout on the bench of Delivery; the document is as it was afterwards."""
    session, bench = camera.window.session, camera.window.bench("delivery")
    before = session.state
    chosen = next(known for known in beginnings() if known.name == "Blocks with mip levels")
    session.apply("Layout", lambda s: with_layout(s, chosen))
    bench.pages.open("Layout")
    bench.layout_page.files.setCurrentRow(1)
    bench.layout_page.put("a", "region:Paper")
    camera.settle()
    camera.take("delivery-layout")
    bench.pages.open("recipe.glsl")
    session.apply("No layout", lambda _: before)


def _collection(camera: Photographer) -> None:
    """All four assets, another red tried out on those that follow it."""
    window = camera.window
    window.show_collection(camera.market / "moth-lantern" / "market.collection.json")
    overview = window.overview
    assets = overview.gatherer.assets
    while not assets or any(asset.findings is None for asset in assets):
        QTest.qWait(50)
        assets = overview.gatherer.assets
    overview.shared.choose("guild-red")
    overview.choose("stall-sign")
    overview.shared.color.set_color("#7a2f86")
    overview.shared.try_out("#7a2f86")
    camera.take("collection")
    overview.close_overview()


def _delivered(out: Path) -> None:
    """The page in a browser, where there is one, and the player with a crowd."""
    with tempfile.TemporaryDirectory() as folder:
        state = Storage(copy_demo(Path(folder) / "demo", "moth-lantern")).open()
        deliver(state, Path(folder) / "out", targets=["preview"])
        kit = Path(folder) / "out" / "kit"
        if chromium := shutil.which("chromium"):
            words = [
                "--headless=new",
                "--no-sandbox",
                "--use-angle=swiftshader",
                "--enable-unsafe-swiftshader",
                "--hide-scrollbars",
            ]
            words += [
                "--window-size=1280,800",
                "--virtual-time-budget=30000",
                f"--screenshot={out / 'page.png'}",
                (kit / "preview.html").as_uri(),
            ]
            subprocess.run([chromium, *words], check=False, capture_output=True)
        player = PlayerWindow(kit)
        player.show()
        while player.stage.scene is None:
            QTest.qWait(50)
        player.laid.setCurrentIndex(list(LAID).index("ground"))
        player.laid.activated.emit(player.laid.currentIndex())
        player.count.number.setValue(60)
        QTest.qWait(3000)
        player.grab()
        screen = player.screen()
        assert screen is not None
        screen.grabWindow(player.winId()).save(str(out / "player.png"))
        player.close()


def main() -> None:
    """All pictures."""
    out = Path(sys.argv[1]) if len(sys.argv) > 1 else OUT
    out.mkdir(parents=True, exist_ok=True)
    camera = Photographer(out, GUIDE if out == OUT else None)
    window, session, views = camera.window, camera.window.session, camera.window.views
    camera.take("empty")
    camera.demo("moth-lantern")
    for station in (known.key for known in STATIONS):
        session.set_station(station)
        if station == "recipe":
            session.selection.select_step(session.state.project.recipe.steps[0].id)
            views.set_pointer((0.10, 0.50))
        if station == "variants":
            window.rail.sheet_wanted.emit()
        camera.take(station)
        if station == "variants":
            window.rail.sheet_wanted.emit()
            _crowd(camera)
        views.set_pointer(None)
        if station == "asset":
            _mend(camera)
            _bakes(camera)
        if station == "delivery":
            window.bench(station).pages.open("Distance")
            window.bench(station).mips.run()
            camera.take("delivery-distance", guide_only=True)
            _layout(camera)
    _regions(camera)
    camera.demo("moth-lantern")
    _surface(camera)
    _tones(camera)
    camera.demo("moth-lantern")
    _collection(camera)
    if out == OUT:
        _delivered(out)
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main()
