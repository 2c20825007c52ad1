"""The window: the path above, the ledger left, the twin views, the bench below, the variants right, the probe."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, QSize, Qt, QUrl
from PyQt6.QtGui import QCloseEvent, QDesktopServices, QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QMainWindow,
    QMenu,
    QMessageBox,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from evenpalette.app.about import AboutDialog
from evenpalette.app.dialogs import HelpSheet, HistoryDialog, RecoveryDialog, SearchBox
from evenpalette.app.folder_lock import FolderLock
from evenpalette.app.ledger import Ledger
from evenpalette.app.path_bar import PathBar
from evenpalette.app.probe_bar import ProbeBar
from evenpalette.app.rail import PICTURE, VariantRail
from evenpalette.app.session import Session
from evenpalette.app.settings import limits_factor, recent_projects, remember, set_limits_factor
from evenpalette.app.source_watch import SourceWatch
from evenpalette.app.stations.asset import AssetBench
from evenpalette.app.stations.bring_in import bring_in
from evenpalette.app.stations.delivery import DeliveryBench
from evenpalette.app.stations.paint import PaintPage
from evenpalette.app.stations.recipe import RecipeBench
from evenpalette.app.stations.regions import RegionsBench
from evenpalette.app.stations.tones import TonesBench
from evenpalette.app.stations.variants import VariantsBench
from evenpalette.app.tasks import Task
from evenpalette.app.verbs import Verb, make_actions
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, label, tool
from evenpalette.core.errors import EvenPaletteError, one_line
from evenpalette.core.files import safe_name
from evenpalette.core.limits import MOST
from evenpalette.core.mesh.read import READABLE as MESH_ENDINGS
from evenpalette.core.project import autosave
from evenpalette.core.project.demo_files import copy_demo, demo_names
from evenpalette.core.project.edits.asset import rename_project
from evenpalette.core.project.findings import STATIONS
from evenpalette.core.project.state import State
from evenpalette.core.project.storage import PROJECT_FILE, Storage, project_folder
from evenpalette.core.raster.image_read import READABLE as IMAGE_ENDINGS
from evenpalette.gpu.look import Look


class MainWindow(QMainWindow):
    """One window, one document."""

    def __init__(self) -> None:
        super().__init__()
        self.session = Session(self)
        self.setAcceptDrops(True)
        self.resize(QSize(1280, 800))
        self.setMinimumSize(1024, 680)
        self.views = TwinViews(self.session)
        self.ledger = Ledger(self.session)
        self.rail = VariantRail(self.session)
        self.probe = ProbeBar(self.session)
        self.path = PathBar(self.session)
        self.benches: dict[str, QWidget] = {
            "asset": AssetBench(self.session),
            "regions": RegionsBench(self.session, self.views),
            "tones": TonesBench(self.session),
            "recipe": RecipeBench(self.session, self.views),
            "variants": VariantsBench(self.session, self.views, self.rail),
            "delivery": DeliveryBench(self.session),
        }
        self.verbs = self._make_verbs()
        self.actions_ = make_actions(self.verbs, self)
        self._lay_out()
        self._sources = SourceWatch(self.session)
        self.views.hovered.connect(self.probe.set_texel)
        self.ledger.hovered.connect(self.views.set_focus_region)
        self.rail.pictures_wanted.connect(self._draw_variants)
        self.session.station_changed.connect(self._show_station)
        self.session.saved_changed.connect(self._show_title)
        self.session.conflicted.connect(self._ask_conflict)
        self.session.changed.connect(lambda f: self._show_title() if "name" in f else None)
        self._show_station(self.session.station)
        self._show_title()
        self._offer_beginnings()

    def _lay_out(self) -> None:
        self._title = button("", self._project_menu, "link", "Project: new, open, save, demo, settings, about", "chevron-down")
        self._title.setAccessibleName("Project menu")
        self._title.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
        self._title.setStyleSheet("font-size: 16px; color: #1b1b1b; padding: 4px 8px;")
        self._save = tool("save", "Save (Ctrl+S)", self.save)
        self._saved = label("", "note")
        self._undo, self._redo = tool("undo-2", "Undo", self.session.undo), tool("redo-2", "Redo", self.session.redo)
        search = button("Search  F3", self.search, "link", "Find anything to do")
        search.setStyleSheet("color: #5e5e5e; padding: 4px 8px;")
        self._search = search
        top = QWidget()
        top.setObjectName("chrome")
        top.setFixedHeight(48)
        line = QHBoxLayout(top)
        line.setContentsMargins(8, 0, 8, 0)
        line.setSpacing(4)
        left, right = QWidget(), QWidget()
        left.setFixedWidth(264)
        right.setFixedWidth(180)
        for side, parts in ((left, (self._title, self._save, self._saved, None)), (right, (None, self._undo, self._redo, search))):
            inner = QHBoxLayout(side)
            inner.setContentsMargins(0, 0, 0, 0)
            inner.setSpacing(4)
            for part in parts:
                if part is None:
                    inner.addStretch(1)
                else:
                    inner.addWidget(part)
        line.addWidget(left)
        line.addStretch(1)
        line.addWidget(self.path)
        line.addStretch(1)
        line.addWidget(right)
        self._bench = QStackedWidget()
        self._bench.setObjectName("bench")
        for bench in self.benches.values():
            bench.setObjectName("bench")
            self._bench.addWidget(bench)
        self._bench.setMinimumHeight(200)
        upper = QWidget()
        upper_line = QHBoxLayout(upper)
        upper_line.setContentsMargins(0, 0, 0, 0)
        upper_line.setSpacing(0)
        upper_line.addWidget(self.views, 1)
        upper_line.addWidget(self.rail)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        split.setHandleWidth(3)
        split.addWidget(upper)
        split.addWidget(self._bench)
        split.setStretchFactor(0, 1)
        split.setSizes([482, 244])
        middle = QWidget()
        middle_line = QHBoxLayout(middle)
        middle_line.setContentsMargins(0, 0, 0, 0)
        middle_line.setSpacing(0)
        middle_line.addWidget(self.ledger)
        middle_line.addWidget(split, 1)
        whole = QWidget()
        layout = QVBoxLayout(whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(top)
        layout.addWidget(middle, 1)
        layout.addWidget(self.probe)
        self.setCentralWidget(whole)

    def _make_verbs(self) -> list[Verb]:
        s, v = self.session, self.views
        verbs = [
            Verb("Project", "New project", "Ctrl+N", self.new_project),
            Verb("Project", "Open project ...", "Ctrl+O", self.ask_open),
            Verb("Project", "Save", "Ctrl+S", self.save),
            Verb("Project", "Save as ...", "Ctrl+Shift+S", self.save_as),
            Verb("Project", "Rename project ...", "", self._rename),
            Verb("Project", "Show folder", "", self._show_folder),
            Verb("Project", "Watch source files ...", "", self._watch_sources),
            Verb("Project", "File limits ...", "", self._ask_limits),
            Verb("Project", "Quit", "Ctrl+Q", self.close),
            Verb("Edit", "Undo", "Ctrl+Z", s.undo),
            Verb("Edit", "Redo", "Ctrl+Shift+Z", s.redo),
            Verb("Edit", "History ...", "Ctrl+H", lambda: HistoryDialog(s, self).exec()),
            Verb("Help", "About and licenses ...", "", lambda: AboutDialog(self).exec()),
            Verb("Help", "Search", "F3", self.search),
            Verb("Help", "Keys and pointer", "F1", lambda: HelpSheet(self.verbs, self).exec()),
        ]
        verbs += [
            Verb("Path", f"Go to {name.capitalize()}", f"Alt+{i}", lambda n=name: s.set_station(n))  # type: ignore[misc]
            for i, name in enumerate(STATIONS, 1)
        ]
        verbs += [
            Verb("Views", "Show all of the model and the texture", "Home", v.frame_all),
            Verb("Views", "Lit or unlit", "L", v.lit.toggle),
            Verb("Views", "UV layout", "U", v.lines.toggle),
            Verb("Views", "Compare by a wipe", "C", v.toggle_compare),
            Verb("Views", "Next stage on Form", "]", lambda: self._next_stage(v.form_stage)),
            Verb("Views", "Next stage on Flat", "[", lambda: self._next_stage(v.flat_stage)),
            Verb("Variants", "New variant", "Ctrl+Shift+N", self.rail.add),
            Verb("Variants", "Derive a variant", "Ctrl+D", self.rail.derive),
            Verb("Variants", "Next variant", "PgDown", lambda: self._step_variant(1)),
            Verb("Variants", "Previous variant", "PgUp", lambda: self._step_variant(-1)),
            Verb("Regions", "Select faces", "S", self._toggle_faces),
            Verb("Regions", "Next face in no region", "N", self._next_face),
            Verb("Regions", "Paint", "P", self._paint),
            Verb("Regions", "Smaller brush", ",", lambda: self._paint_bench().resize_brush(1 / 1.15)),
            Verb("Regions", "Larger brush", ".", lambda: self._paint_bench().resize_brush(1.15)),
            Verb("Regions", "New painted region", "Ctrl+Shift+P", lambda: self._paint_bench().add_region()),
            Verb("Regions", "Next region", "Ctrl+Down", lambda: self._step_region(1)),
            Verb("Regions", "Previous region", "Ctrl+Up", lambda: self._step_region(-1)),
            Verb("Delivery", "Deliver", "Ctrl+E", self._deliver),
        ]
        return verbs

    # --- the stations --------------------------------------------------------------------------------------------

    def _show_station(self, station: str) -> None:
        self._bench.setCurrentWidget(self.benches[station])
        if station != "recipe" and self.views.step_limit is not None:
            self.views.show_steps(None, False)

    def _next_stage(self, box) -> None:  # type: ignore[no-untyped-def]
        box.setCurrentIndex((box.currentIndex() + 1) % box.count())

    def _step_variant(self, offset: int) -> None:
        list_ = self.rail.list
        row = min(max(list_.currentIndex().row() + offset, 0), self.rail.model.rowCount() - 1)
        list_.setCurrentIndex(self.rail.model.index(row))

    def _step_region(self, offset: int) -> None:
        ids = self.session.state.region_ids
        if ids:
            place = ids.index(self.session.region) if self.session.region in ids else 0
            self.session.select_region(ids[(place + offset) % len(ids)])

    def _toggle_faces(self) -> None:
        self.session.set_station("regions")
        bench = self._regions_bench()
        if bench.pages.current != "Faces":
            bench.pages.open("Faces")
            bench.faces.toggle.setChecked(True)
        else:
            bench.faces.toggle.toggle()

    def _regions_bench(self) -> RegionsBench:
        bench = self.benches["regions"]
        assert isinstance(bench, RegionsBench)
        return bench

    def _next_face(self) -> None:
        self.session.set_station("regions")
        bench = self._regions_bench()
        bench.faces.next_unassigned()

    def _paint_bench(self) -> PaintPage:
        return self._regions_bench().paint

    def _paint(self) -> None:
        self.session.set_station("regions")
        bench = self._regions_bench()
        bench.pages.open("Paint")

    def _deliver(self) -> None:
        self.session.set_station("delivery")
        bench = self.benches["delivery"]
        assert isinstance(bench, DeliveryBench)
        bench.deliver()

    def _draw_variants(self) -> None:
        for variant_id in self.rail.model.ids():
            self.views.pictures.request(
                ("variant", variant_id), Look(variant=variant_id), PICTURE,
                lambda image, v=variant_id: self.rail.set_picture(v, image),  # type: ignore[misc]
            )  # fmt: skip

    # --- the project ---------------------------------------------------------------------------------------------

    def _show_title(self) -> None:
        session = self.session
        metrics = self._title.fontMetrics()
        self._title.setText(metrics.elidedText(session.state.project.name, Qt.TextElideMode.ElideRight, 150))
        text = "never saved" if session.path is None else "changed" if session.is_dirty else "saved"
        text = "read-only" if session.is_read_only else text
        self._saved.setText(text)
        self._save.setEnabled(session.path is None or session.is_dirty)
        self.setWindowTitle(f"{session.state.project.name}{' *' if session.is_dirty else ''} - Even Palette")
        history = session.history
        self._undo.setEnabled(bool(history.undo_label))
        self._redo.setEnabled(bool(history.redo_label))
        self._undo.setToolTip(f"Undo {history.undo_label} (Ctrl+Z)" if history.undo_label else "Nothing to undo")
        self._redo.setToolTip(f"Redo {history.redo_label} (Ctrl+Shift+Z)" if history.redo_label else "Nothing to redo")

    def _project_menu(self) -> None:
        menu = QMenu(self)
        for name in ("New project", "Open project ..."):
            menu.addAction(self.actions_[name])
        past = menu.addMenu("Recent projects")
        assert past is not None
        for path in recent_projects():
            past.addAction(str(path), lambda p=path: self.open_path(p))  # type: ignore[misc]
        past.setEnabled(not past.isEmpty())
        demo = menu.addMenu("Demo projects")
        assert demo is not None
        for name in demo_names():
            demo.addAction(name.replace("-", " ").title(), lambda n=name: self.open_demo(n))  # type: ignore[misc]
        menu.addSeparator()
        for name in ("Save", "Save as ...", "Rename project ..."):
            menu.addAction(self.actions_[name])
        menu.addAction(self.actions_["Show folder"])
        self.actions_["Show folder"].setEnabled(self.session.path is not None)
        menu.addSeparator()
        settings = menu.addMenu("Settings")
        assert settings is not None
        for name in ("Watch source files ...", "File limits ..."):
            settings.addAction(self.actions_[name])
        for name in ("History ...", "Keys and pointer", "About and licenses ...", "Quit"):
            menu.addAction(self.actions_[name])
        menu.exec(self._title.mapToGlobal(QPoint(0, self._title.height())))

    def search(self) -> None:
        """Open the search for things to do."""
        SearchBox(self.verbs, self).open_at(
            self._search.mapToGlobal(QPoint(self._search.width(), self._search.height()))
        )

    def _show_folder(self) -> None:
        """Open the project's folder where the desktop shows folders."""
        if self.session.path is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.session.path)))

    def _offer_beginnings(self) -> None:
        """What an empty view offers."""
        found: list[tuple[str, Callable[[], object]]] = [
            ("Open the demo", self.open_demo), ("Bring in files ...", self._ask_files), ("Open a project ...", self.ask_open),
        ]  # fmt: skip
        found += [(f"Recent: {path.name}", lambda p=path: self.open_path(p)) for path in recent_projects()[:2]]  # type: ignore[misc]
        self.views.headers.set_begin(found)

    def _ask_files(self) -> None:
        """Ask for a mesh and textures, and bring them in."""
        pattern = " ".join(f"*{ending}" for ending in (*MESH_ENDINGS, *IMAGE_ENDINGS))
        paths, _ = QFileDialog.getOpenFileNames(self, "Bring in files", "", f"Meshes and images ({pattern})")
        if paths:
            self.take_files([Path(path) for path in paths])

    def _rename(self) -> None:
        name, done = QInputDialog.getText(self, "Rename project", "Name", text=self.session.state.project.name)
        if done:
            self.session.apply(f"Rename project to {name}", lambda s: rename_project(s, name))

    def may_leave(self) -> bool:
        """Whether the document may be given up; asks when it differs from what lies on disk."""
        if not self.session.saving.is_idle:
            self.session.saving.wait()
        if not self.session.is_dirty:
            return True
        box = QMessageBox(self)
        box.setWindowTitle("Unsaved changes")
        box.setText(f"Save the changes to {self.session.state.project.name}?")
        box.setStandardButtons(
            QMessageBox.StandardButton.Save | QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel
        )
        answer = box.exec()
        if answer == QMessageBox.StandardButton.Save:
            return self._save_now()
        return answer == QMessageBox.StandardButton.Discard

    def _save_now(self) -> bool:
        """Save and wait for it; False when it was not saved, for whatever reason."""
        folder = None if self.session.path and not self.session.is_read_only else self._ask_folder()
        if folder is None and (self.session.path is None or self.session.is_read_only):
            return False
        self.session.save(folder)
        return self.session.saving.wait() and not self.session.is_dirty

    def new_project(self) -> None:
        """Begin an empty document."""
        if self.may_leave():
            self.session.open_state(State(), None, "New project")
            self.session.set_station("asset")

    def ask_open(self) -> None:
        """Ask for a project and open it."""
        path, _ = QFileDialog.getOpenFileName(self, "Open project", "", f"Even Palette project ({PROJECT_FILE})")
        if path:
            self.open_path(Path(path))

    def open_path(self, path: Path) -> None:
        """Open a project off the interface thread; on an error the document stays as it was."""
        if not self.may_leave():
            return
        storage = Storage(project_folder(path))

        def done(state: State) -> None:
            held = self._hold(storage.folder)
            if held is None:
                return
            lock, read_only = held
            note = f"; {storage.note}" if storage.note else ""
            self.session.open_state(
                state, storage, f"Opened {state.project.name}{note}", lock=lock, read_only=read_only
            )  # fmt: skip
            remember(storage.folder)
            self._station_for(state)
            strange = self.session.strange_sources()
            if strange:
                self.session.said.emit(
                    f"{len(strange)} source files of this project are not read or watched, as they were not brought in "
                    "here. Project menu, Watch source files, allows it.", False
                )  # fmt: skip

        self.session.tasks.start(Task("Opening", lambda _: storage.open(), done, self._failed))

    def _hold(self, folder: Path) -> tuple[FolderLock | None, bool] | None:
        """Hold a project's folder: its lock, and whether it is only to be looked at; None when it is not to be opened."""
        mine = self.session.lock
        if mine is not None and mine.folder.resolve() == folder.resolve() and not mine.is_lost:
            if mine.is_held:
                return mine, False
            mine.release()
        lock = FolderLock(folder)
        if lock.take():
            return lock, False
        box = QMessageBox(self)
        box.setWindowTitle("Open elsewhere")
        box.setText(f"{folder.name} is open in another window: {lock.holder()}.")
        box.setInformativeText("Two windows that save one project undo each other's work.")
        look = box.addButton("Open read-only", QMessageBox.ButtonRole.AcceptRole)
        over = box.addButton("Take over", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.exec()
        if box.clickedButton() is over:
            return (lock if lock.take_over() else None), False
        return (None, True) if box.clickedButton() is look else None

    def _ask_conflict(self, text: str) -> None:
        """The project on disk is not the one that was opened here: what becomes of it."""
        box = QMessageBox(self)
        box.setWindowTitle("Changed on disk")
        box.setText(text)
        box.setInformativeText("Nothing was written yet.")
        again = box.addButton("Open it again", QMessageBox.ButtonRole.ResetRole)
        elsewhere = box.addButton("Save elsewhere ...", QMessageBox.ButtonRole.AcceptRole)
        over = box.addButton("Overwrite", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.exec()
        if box.clickedButton() is elsewhere:
            self.save_as()
        elif box.clickedButton() is over:
            self.session.save(overwrite=True, then=self._was_saved)
        elif box.clickedButton() is again and self.session.path is not None:
            self.open_path(self.session.path)

    def _watch_sources(self) -> None:
        """Ask whether the files that the project names may be read when they change."""
        strange = self.session.strange_sources()
        if not strange:
            self.session.said.emit("All source files of this project are watched already.", False)
            return
        box = QMessageBox(self)
        box.setWindowTitle("Watch source files")
        box.setText(f"Read these {len(strange)} files whenever they change, into this project?")
        box.setInformativeText("\n".join(one_line(path) for path in strange[:12]))
        box.setStandardButtons(QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No)
        if box.exec() == QMessageBox.StandardButton.Yes:
            self.session.trust(strange)

    def _ask_limits(self) -> None:
        factor, done = QInputDialog.getDouble(
            self, "File limits", "Larger files take more memory and time.\nRaise all limits by a factor of",
            limits_factor(), 1.0, MOST, 1,
        )  # fmt: skip
        if done:
            set_limits_factor(factor)

    def _station_for(self, state: State) -> None:
        project = state.project
        self.session.set_station(
            "recipe"
            if project.recipe.steps
            else "tones"
            if project.regions.regions
            else "regions"
            if project.asset.textures
            else "asset"
        )

    def open_demo(self, name: str = "", into: Path | None = None) -> None:
        """Open a fresh copy of a demo project."""
        if not self.may_leave():
            return
        try:
            folder = copy_demo(into, name)
        except EvenPaletteError as error:
            self.session.said.emit(str(error), True)
            return
        self.open_path(folder)

    def save(self) -> None:
        """Save where it was saved before, or ask."""
        if self.session.path is None or self.session.is_read_only:
            self.save_as()
        else:
            self.session.save(then=self._was_saved)

    def _was_saved(self) -> None:
        if self.session.path is not None:
            remember(self.session.path)
            self.session.said.emit(f"Saved to {self.session.path}", False)

    def _ask_folder(self) -> Path | None:
        proposal = str(Path.home() / safe_name(self.session.state.project.name))
        path, _ = QFileDialog.getSaveFileName(self, "Save project as a folder", proposal)
        if not path:
            return None
        folder = Path(path)
        mine = self.session.path is not None and folder.resolve() == self.session.path.resolve()
        if (folder / PROJECT_FILE).exists() and (not mine or self.session.is_read_only):
            answer = QMessageBox.question(
                self, "Replace a project", f"{folder} holds another project. Put this one in its place?"
            )
            if answer != QMessageBox.StandardButton.Yes:
                return None
        return folder

    def save_as(self) -> None:
        """Ask for a folder and save there."""
        if folder := self._ask_folder():
            self.session.save(folder, then=self._was_saved)

    def _failed(self, error: Exception) -> None:
        self.session.said.emit(
            str(error) if isinstance(error, EvenPaletteError) else f"Could not be opened: {error!r}", True
        )

    def offer_recovery(self) -> None:
        """Ask about autosaves that a crash left behind."""
        found = autosave.find_recoverable()
        if found:
            RecoveryDialog(found, self._recover, autosave.forget, self).exec()

    def _recover(self, item: autosave.Recoverable) -> None:
        def done(state: State) -> None:
            storage = Storage(Path(item.project)) if item.project else None
            held = self._hold(storage.folder) if storage is not None and storage.folder.is_dir() else (None, False)
            lock, read_only = held if held is not None else (None, True)
            # The old autosave goes only when a new copy is complete.
            self.session.open_state(
                state, storage, "Recovered", dirty=True, lock=lock, read_only=read_only,
                when_kept=lambda: autosave.forget(item),
            )  # fmt: skip
            self._station_for(state)
            self.session.autosave()

        self.session.tasks.start(Task("Recovering", lambda _: autosave.recover(item), done, self._failed))

    # --- files dropped on the window -----------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        if event.mimeData() is not None and event.mimeData().hasUrls():  # type: ignore[union-attr]
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]  # type: ignore[union-attr]
        self.take_files(paths)

    def take_files(self, paths: list[Path]) -> None:
        """Bring in dropped files: one project is opened, meshes and images are brought in, others are refused."""
        projects = [p for p in paths if (p / PROJECT_FILE).is_file() or p.name == PROJECT_FILE]
        if projects:
            self.open_path(projects[0])
            return
        known = [p for p in paths if p.suffix.lower() in (*MESH_ENDINGS, *IMAGE_ENDINGS)]
        unknown = [p.name for p in paths if p not in known]
        if unknown:
            self.session.said.emit(f"{', '.join(unknown[:3])}: neither a mesh nor an image that can be read.", True)
        if known:
            self.session.set_station("asset")
            bring_in(self.session, known, self)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if self.may_leave():
            self.session.close()
            event.accept()
        else:
            event.ignore()
