"""The window: the path above, the ledger left, the twin views, the bench below, the variants right, the probe."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QByteArray, QSize, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QMainWindow, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from evenpalette.app import file_filters
from evenpalette.app.about import AboutDialog
from evenpalette.app.bakes import BakeKeeper
from evenpalette.app.dialogs import HelpSheet, HistoryDialog
from evenpalette.app.facets import NAME
from evenpalette.app.later import load_rest
from evenpalette.app.ledger import Ledger
from evenpalette.app.left_at import LeftAt
from evenpalette.app.probe_bar import ProbeBar
from evenpalette.app.project_actions import ProjectActions
from evenpalette.app.rail import PICTURE, VariantRail
from evenpalette.app.session import Session
from evenpalette.app.settings import (
    recent_projects,
    remember_smoothing,
    remember_window,
    smooths,
    window_state,
)
from evenpalette.app.source_watch import SourceWatch
from evenpalette.app.station import Workplace
from evenpalette.app.stations import STATIONS
from evenpalette.app.stations.asset.bring_in import bring_in
from evenpalette.app.time_line import TimeLine
from evenpalette.app.timers import timer
from evenpalette.app.top_bar import TopBar
from evenpalette.app.variant_offer import VariantOffer
from evenpalette.app.verbs import Verb, make_actions
from evenpalette.app.views import TwinViews
from evenpalette.app.walk import Walk, WalkLine
from evenpalette.core.collection import ENDING
from evenpalette.core.document.state import State
from evenpalette.core.mesh.readers import mesh_endings
from evenpalette.core.raster.formats import picture_endings
from evenpalette.core.storage.description import PROJECT_FILE
from evenpalette.gpu.look import Look

if TYPE_CHECKING:
    from evenpalette.app.guide import Guide
    from evenpalette.app.matrix import Matrix
    from evenpalette.app.overview import Overview
    from evenpalette.app.side_by_side import SideBySide

#: Windows that Qt has not deleted yet. Python's garbage collector must not delete one: it may run while another window
#: draws, and takes that one's OpenGL context away.
_ALIVE: set["MainWindow"] = set()


class MainWindow(QMainWindow):
    """One window, one document."""

    def __init__(self) -> None:
        super().__init__()
        _ALIVE.add(self)
        self.destroyed.connect(lambda: _ALIVE.discard(self))
        self.session = Session(self)
        self._is_closing = False
        self.setAcceptDrops(True)
        self.resize(QSize(1280, 800))
        self.setMinimumSize(1024, 680)
        self.project = ProjectActions(self.session, self, _begin_at)
        self.views = TwinViews(self.session, {place.key: place.look for place in STATIONS})
        self.views.is_smoothed = smooths()
        self.time = TimeLine(self.session, self.views)
        self.ledger = Ledger(self.session)
        self.rail = VariantRail(self.session)
        self.probe = ProbeBar(self.session)
        self.bakes = BakeKeeper(self.session)
        self._room = Workplace(self.session, self.bakes, self.views, self.rail)
        self._benches: dict[str, QWidget] = {}
        self._sheet: SideBySide | None = None
        self._guide: Guide | None = None
        self._overview: Overview | None = None
        self._matrix: Matrix | None = None
        self._painted_state: State | None = None
        self._after_painting = timer(self, 0)
        self._after_painting.timeout.connect(self._complete)
        self.walk = Walk(self.session, self.views)
        self._verbs = self._make_verbs()
        self._all_verbs: list[Verb] = []
        self.top = TopBar(self.session, self.project, lambda: self.verbs, make_actions(self._verbs, self))
        self._bench = QStackedWidget()
        self._split = QSplitter(Qt.Orientation.Vertical)
        self._lay_out()
        self._sources = SourceWatch(self.session)
        self.views.hovered.connect(self.probe.set_texel)
        self.ledger.hovered.connect(self.views.shown.set_focus_region)
        self._pictured_from = self.views.seen_from
        self.rail.pictures_wanted.connect(self._draw_variants)
        self.views.shown.eyes_changed.connect(lambda: self._draw_variants(self.rail.model.ids()))
        self.rail.sheet_wanted.connect(self._show_sheet)
        self.rail.matrix_wanted.connect(lambda: self.matrix.toggle())
        self.session.station_changed.connect(self._show_station)
        self._left_at = LeftAt(self.session, self)
        self.session.saved_changed.connect(self._show_title)
        self.session.changed.connect(lambda facets: self._show_title() if NAME in facets else None)
        # Not at once: what a task has made is taken up after it ended.
        self.views.painted.connect(self._note_painting)
        self.session.tasks.ended.connect(lambda: QTimer.singleShot(0, self._begin))
        QTimer.singleShot(0, self._begin)
        self._show_title()
        self._offer_beginnings()
        self._take_up_place()

    def _lay_out(self) -> None:
        self._bench.setObjectName("bench")
        self._bench.setMinimumHeight(200)
        upper, lower, seen = QWidget(), QWidget(), QWidget()
        _line(QVBoxLayout(seen), (self.views, 1), (self.time, 0))
        _line(QHBoxLayout(upper), (seen, 1), (self.rail, 0))
        _line(QVBoxLayout(lower), (WalkLine(self.walk), 0), (VariantOffer(self.session), 0), (self._bench, 1))
        self._split.setChildrenCollapsible(False)
        self._split.setHandleWidth(3)
        self._split.addWidget(upper)
        self._split.addWidget(lower)
        self._split.setStretchFactor(0, 1)
        self._split.setSizes([482, 244])
        middle, whole = QWidget(), QWidget()
        self._middle = middle
        _line(QHBoxLayout(middle), (self.ledger, 0), (self._split, 1))
        _line(QVBoxLayout(whole), (self.top, 0), (middle, 1), (self.probe, 0))
        self.setCentralWidget(whole)

    def _make_verbs(self) -> list[Verb]:
        s, v, p = self.session, self.views, self.project
        verbs = [
            Verb("Project", "New project", "Ctrl+N", p.new_project),
            Verb("Project", "Open project ...", "Ctrl+O", p.ask_open),
            Verb("Project", "Save", "Ctrl+S", p.save),
            Verb("Project", "Save as ...", "Ctrl+Shift+S", p.save_as),
            Verb("Project", "Rename project ...", "", p.rename),
            Verb("Project", "Show folder", "", p.show_folder),
            Verb("Project", "Watch source files ...", "", p.watch_sources),
            Verb("Project", "File limits ...", "", p.ask_limits),
            Verb("Project", "Steps of your own ...", "", p.own_steps),
            Verb("Project", "Bring in files ...", "", self.ask_files),
            Verb("Project", "Collection ...", "Ctrl+Shift+O", self.ask_collection),
            Verb("Project", "New collection ...", "", self.ask_new_collection),
            Verb("Project", "Quit", "Ctrl+Q", self.close),
            Verb("Edit", "Undo", "Ctrl+Z", s.undo),
            Verb("Edit", "Redo", "Ctrl+Shift+Z", s.redo),
            Verb("Edit", "History ...", "Ctrl+H", lambda: HistoryDialog(s, self).exec()),
            Verb("Help", "First walk", "", self.begin_walk),
            Verb("Help", "About and licenses ...", "", lambda: AboutDialog(self).exec()),
            Verb("Help", "Search", "F3", lambda: self.top.search()),
            Verb("Help", "Guide to this station", "F1", self.show_guide),
            Verb("Help", "Keys and pointer", "Shift+F1", lambda: HelpSheet(self.verbs, self).exec()),
        ]
        verbs += [
            Verb("Path", f"Go to {station.title}", f"Alt+{i}", lambda key=station.key: s.set_station(key))  # type: ignore[misc]
            for i, station in enumerate(STATIONS, 1)
        ]
        verbs += [
            Verb("Views", "Show all of the model and the texture", "Home", v.frame_all),
            Verb("Views", "Lit or unlit", "L", v.headers.lit.toggle),
            Verb("Views", "UV layout", "U", v.headers.lines.toggle),
            Verb("Views", "Compare by a wipe", "C", v.shown.toggle_compare),
            Verb("Views", "Both sides of the wipe ...", "Shift+C", v.headers.compare.click),
            Verb("Views", "All of the texel", "I", self.probe.show_all),
            Verb("Views", "Smooth edges of Form at rest", "", self._toggle_smoothing),
            Verb("Views", "Time line", "T", v.headers.clock.toggle),
            Verb("Views", "Let time run or hold it", "Shift+T", self.time.toggle),
            Verb("Views", "Next stage on Form", "]", lambda: v.shown.next_stage(form=True)),
            Verb("Views", "Next stage on Flat", "[", lambda: v.shown.next_stage(form=False)),
        ]
        return verbs

    def _toggle_smoothing(self) -> None:
        is_on = self.views.is_smoothed = not self.views.is_smoothed
        remember_smoothing(is_on)
        self.session.said.emit(f"Form is {'made smooth while nothing moves' if is_on else 'drawn plainly'}", False)

    def show_guide(self) -> None:
        """Open the guide at the page of the station where the work is."""
        if self._guide is None:
            from evenpalette.app.guide import Guide  # not for the first picture

            self._guide = Guide(self)
        self._guide.open_page(self.session.station)
        self._guide.show()
        self._guide.raise_()

    @property
    def verbs(self) -> list[Verb]:
        """All that can be done."""
        if not self._all_verbs:
            self._load_stations()
        return self._all_verbs

    def _load_stations(self) -> None:
        """Take up the verbs of all stations, with their keys."""
        made = [
            verb for place in STATIONS
            for verb in place.station.verbs(self._room, lambda key=place.key: self.bench(key))  # type: ignore[misc]
        ]  # fmt: skip
        make_actions(made, self)
        self._all_verbs = [*self._verbs, *made]

    def _note_painting(self) -> None:
        self._painted_state = self.session.state
        self._after_painting.start()

    def _complete(self) -> None:
        """Load what the first picture did not need, once it is there: a project just opened comes first."""
        if self.session.tasks.is_busy or self._painted_state is not self.session.state:
            return
        self._painted_state = None
        self.views.painted.disconnect(self._note_painting)
        load_rest(self.session, lambda: self.verbs)

    # --- the stations --------------------------------------------------------------------------------------------

    def bench(self, station: str) -> QWidget:
        """Go to a station; its bench."""
        self.session.set_station(station)
        return self._made_bench(station)

    def _made_bench(self, station: str) -> QWidget:
        """A station's bench, made on the first visit."""
        if station not in self._benches:
            made = next(place for place in STATIONS if place.key == station).station.make(self._room)
            made.setObjectName("bench")
            self._benches[station] = made
            self._bench.addWidget(made)
        return self._benches[station]

    def _begin(self) -> None:
        """Show the first bench, unless a project is being opened: it has its own."""
        if not self._benches and not self.session.tasks.is_busy:
            self._show_station(self.session.station)

    def _show_station(self, station: str) -> None:
        self._bench.setCurrentWidget(self._made_bench(station))

    def _show_sheet(self) -> None:
        """Show all variants side by side, or the views again."""
        from evenpalette.app.side_by_side import SideBySide

        if self._sheet is None:
            self._sheet = SideBySide(self.session, self.views)
        self._sheet.toggle()

    def _draw_variants(self, ids: Sequence[str | None]) -> None:
        if self._pictured_from != self.views.seen_from:
            # All of them from where the model is seen now.
            ids, self._pictured_from = self.rail.model.ids(), self.views.seen_from
        for variant_id in ids:
            self.views.pictures.request(
                ("variant", variant_id), Look(variant=variant_id, eyes=self.views.shown.eyes), PICTURE,
                lambda image, v=variant_id: self.rail.set_picture(v, image),  # type: ignore[misc]
            )  # fmt: skip

    def begin_walk(self) -> None:
        """Lead along the path, on the demo where nothing is open."""
        if self.session.state.mesh is None and not self.session.state.project.asset.textures:
            self.project.open_demo(then=self.walk.begin)
        else:
            self.walk.begin()

    # --- the window ----------------------------------------------------------------------------------------------

    def _show_title(self) -> None:
        session = self.session
        self.setWindowTitle(f"{session.state.project.name}{' *' if session.is_dirty else ''} - Even Palette")

    def _offer_beginnings(self) -> None:
        """What an empty view offers."""
        found: list[tuple[str, Callable[[], object]]] = [
            ("Open the demo", self.project.open_demo), ("First walk", self.begin_walk),
            ("Bring in files ...", self.ask_files), ("Open a project ...", self.project.ask_open),
        ]  # fmt: skip
        recent = recent_projects()[:2]
        names = [path.name for path in recent]
        for path in recent:
            where = "" if names.count(path.name) == 1 else f" in {path.parent.name}"
            found.append((f"Recent: {path.name}{where}", lambda p=path: self.project.open_path(p)))  # type: ignore[misc]
        self.views.headers.set_begin(found)

    def _take_up_place(self) -> None:
        """Stand as the window stood when it was last closed."""
        for restore, key in ((self.restoreGeometry, "geometry"), (self._split.restoreState, "split")):
            if kept := window_state(key):
                restore(QByteArray.fromHex(kept.encode("ascii", "replace")))
        try:
            self.views.frame = self.views.frame.split_to(float(window_state("views") or 0.5))
        except ValueError:
            return

    def _keep_place(self) -> None:
        remember_window({
            "geometry": self.saveGeometry().toHex().data().decode(), "split": self._split.saveState().toHex().data().decode(),
            "views": f"{self.views.split:.4f}",
        })  # fmt: skip

    def ask_files(self) -> None:
        """Ask for a mesh and textures, and bring them in."""
        paths, _ = QFileDialog.getOpenFileNames(self, "Bring in files", "", file_filters.MESHES_AND_IMAGES)
        if paths:
            self.take_files([Path(path) for path in paths])

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        if event.mimeData() is not None and event.mimeData().hasUrls():  # type: ignore[union-attr]
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]  # type: ignore[union-attr]
        self.take_files(paths)

    def ask_collection(self) -> None:
        """Ask for a collection and show all of its assets."""
        path, _ = QFileDialog.getOpenFileName(self, "Open a collection", "", f"Collections (*{ENDING})")
        if path:
            self.show_collection(Path(path))

    def ask_new_collection(self) -> None:
        """Ask where a collection is to begin."""
        path, _ = QFileDialog.getSaveFileName(self, "New collection", f"market{ENDING}", f"Collections (*{ENDING})")
        if path:
            self.overview.make_file(Path(path if path.endswith(ENDING) else path + ENDING))

    def show_collection(self, path: Path) -> None:
        """Show all assets of a collection."""
        self.overview.open_file(path)

    @property
    def overview(self) -> "Overview":
        """All assets of a collection over the window; made when it is first asked for."""
        if self._overview is None:
            from evenpalette.app.overview import Overview  # not for the first picture

            assert self._middle is not None
            self._overview = Overview(self.session, self._middle, self.project.open_path)
        return self._overview

    @property
    def matrix(self) -> "Matrix":
        """All values of all variants over the window; made when it is first asked for."""
        if self._matrix is None:
            from evenpalette.app.matrix import Matrix  # not for the first picture

            assert self._middle is not None
            self._matrix = Matrix(self.session, self.views, self._middle)
        return self._matrix

    def take_files(self, paths: list[Path]) -> None:
        """Bring in dropped files: one project is opened, meshes and images are brought in, others are refused."""
        collections = [p for p in paths if p.name.endswith(ENDING)]
        if collections:
            self.show_collection(collections[0])
            return
        projects = [p for p in paths if (p / PROJECT_FILE).is_file() or p.name == PROJECT_FILE]
        if projects:
            self.project.open_path(projects[0])
            return
        known = [p for p in paths if p.suffix.lower() in (*mesh_endings(), *picture_endings())]
        unknown = [p.name for p in paths if p not in known]
        if unknown:
            self.session.said.emit(f"{', '.join(unknown[:3])}: neither a mesh nor an image that can be read.", True)
        if known:
            self.session.set_station("asset")
            bring_in(self.session, known, self)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if self._is_closing or not self.project.may_close():
            event.ignore()
            return
        self._is_closing = True
        self._left_at.keep()
        self._keep_place()
        self.hide()
        self.session.close()
        event.accept()


def _begin_at(state: State) -> str:
    """The last station that an opened project's work can begin at."""
    return [place.key for place in STATIONS if place.ready(state)][-1]


def _line(layout: QHBoxLayout | QVBoxLayout, *parts: tuple[QWidget, int]) -> None:
    """Widgets side by side without gaps, each with its share of what is left."""
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    for widget, stretch in parts:
        layout.addWidget(widget, stretch)
