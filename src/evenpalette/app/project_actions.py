"""What is done with a project as a whole: begin, open, hold, save, recover; and what is asked on the way."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, Qt, QTimer, QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from evenpalette.app.dialogs import RecoveryDialog
from evenpalette.app.facets import EVERYTHING
from evenpalette.app.folder_lock import FolderLock
from evenpalette.app.questions import ListQuestion, Role, ask
from evenpalette.app.session import Session
from evenpalette.app.settings import limits_factor, remember, set_limits_factor, station_of
from evenpalette.app.tasks import Task
from evenpalette.core.consent import own_folder
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import rename_project
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import safe_name
from evenpalette.core.limits import MOST
from evenpalette.core.names import listed
from evenpalette.core.storage import autosave
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.description import PROJECT_FILE, project_folder
from evenpalette.core.storage.file_set import finish_left_behind
from evenpalette.core.storage.storage import Storage


class ProjectActions(QObject):
    """Works on the session; questions and dialogs belong to a window. begin_at: the station that a project's work
    needs, given its state."""

    def __init__(self, session: Session, window: QWidget, begin_at: Callable[[State], str]) -> None:
        super().__init__(window)
        self._session, self._window, self._begin_at = session, window, begin_at
        session.conflicted.connect(self._ask_conflict)

    def rename(self) -> None:
        name, done = QInputDialog.getText(self._window, "Rename project", "Name", text=self._session.state.project.name)
        if done:
            self._session.apply(f"Rename project to {name}", lambda s: rename_project(s, name))

    def show_folder(self) -> None:
        """Open the project's folder where the desktop shows folders."""
        if self._session.path is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._session.path)))

    def may_close(self) -> bool:
        """Whether the window may be closed: asks when that would stop work with a bar, or lose changes."""
        return self._may_stop() and self.may_leave()

    def _may_stop(self) -> bool:
        tasks = self._session.tasks
        if not tasks.is_busy:
            return True
        wait, stop = "Close when it is done", "Stop it and close"
        answer = ask(
            self._window, "Still at work", f"{tasks.running} is not done yet.",
            [(wait, Role.AcceptRole), (stop, Role.DestructiveRole)], "Stopped, it leaves everything as it was before.",
        )  # fmt: skip
        if answer == stop:
            tasks.cancel()
            return True
        if answer != wait:
            return False
        if tasks.is_busy:
            tasks.ended.connect(self._close_after, Qt.ConnectionType.SingleShotConnection)  # type: ignore[call-arg]
            return False
        return True

    def _close_after(self) -> None:
        """Close the window after what was waited for; not where it failed, as that wants to be seen."""
        if self._session.tasks.went_well:
            QTimer.singleShot(0, self._window.close)

    def may_leave(self) -> bool:
        """Whether the document may be given up; asks when it differs from what lies on disk."""
        if not self._session.saving.is_idle:
            self._session.saving.wait()
        if not self._session.is_dirty:
            return True
        save, discard = "Save", "Discard"
        answer = ask(
            self._window, "Unsaved changes", f"Save the changes to {self._session.state.project.name}?",
            [(save, Role.AcceptRole), (discard, Role.DestructiveRole)],
        )  # fmt: skip
        return self._save_now() if answer == save else answer == discard

    def _save_now(self) -> bool:
        """Save and wait for it; False when it was not saved, for whatever reason."""
        folder = None if self._session.path and not self._session.is_read_only else self._ask_folder()
        if folder is None and (self._session.path is None or self._session.is_read_only):
            return False
        self._session.save(folder)
        return self._session.saving.wait() and not self._session.is_dirty

    def new_project(self) -> None:
        """Begin an empty document."""
        if self.may_leave():
            self._session.open_state(State(), None, "New project")
            self._session.set_station("asset")

    def ask_open(self) -> None:
        """Ask for a project and open it."""
        path, _ = QFileDialog.getOpenFileName(
            self._window, "Open project", "", f"Even Palette project ({PROJECT_FILE})"
        )
        if path:
            self.open_path(Path(path))

    def open_path(self, path: Path, then: Callable[[], None] | None = None) -> None:
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
            self._session.open_state(
                state, storage, f"Opened {state.project.name}{note}", lock=lock, read_only=read_only
            )  # fmt: skip
            remember(storage.folder)
            self._go_to_work(state)
            strange = self._session.sources.strange()
            if strange:
                self._session.said.emit(
                    f"{len(strange)} source files of this project are not read or watched, as they were not brought in "
                    "here. Project menu, Watch source files, allows it.", False
                )  # fmt: skip
            if then is not None:
                then()

        self._session.tasks.start(
            Task("Opening", lambda _: storage.open().ready_for_views(), done, self._session.failed)
        )

    def _hold(self, folder: Path) -> tuple[FolderLock | None, bool] | None:
        """Hold a project's folder: its lock, and whether it is only to be looked at; None when it is not to be
        opened."""
        mine = self._session.lock
        if mine is not None and mine.folder.resolve() == folder.resolve() and not mine.is_lost:
            if mine.is_held:
                return mine, False
            mine.release()
        lock = FolderLock(folder)
        if lock.take():
            return lock, False
        look, over = "Open read-only", "Take over"
        answer = ask(
            self._window, "Open elsewhere", f"{folder.name} is open in another window: {lock.holder()}.",
            [(look, Role.AcceptRole), (over, Role.DestructiveRole)], "Two windows that save one project undo each other's work.",
        )  # fmt: skip
        if answer == over:
            return (lock if lock.take_over() else None), False
        return (None, True) if answer == look else None

    def _ask_conflict(self, text: str) -> None:
        """The project on disk is not the one that was opened here: what becomes of it."""
        again, elsewhere, over = "Open it again", "Save elsewhere ...", "Overwrite"
        answer = ask(
            self._window, "Changed on disk", text,
            [(again, Role.ResetRole), (elsewhere, Role.AcceptRole), (over, Role.DestructiveRole)], "Nothing was written yet.",
        )  # fmt: skip
        if answer == elsewhere:
            self.save_as()
        elif answer == over:
            self._session.save(overwrite=True, then=self._was_saved)
        elif answer == again and self._session.path is not None:
            self.open_path(self._session.path)

    def watch_sources(self) -> None:
        """Ask whether the files that the project names may be read when they change."""
        strange = self._session.sources.strange()
        if not strange:
            self._session.said.emit("All source files of this project are watched already.", False)
            return
        question = ListQuestion(
            self._window, "Watch source files", f"Read all of these {len(strange)} files whenever they change, into this project?",
            strange, "Read them",
        )  # fmt: skip
        if question.exec():
            self._session.sources.trust(strange)
        question.deleteLater()

    def take_own_steps(self) -> None:
        """Take steps of the user's own that are trusted, and say what is left out."""
        if not own_folder().is_dir():
            return
        from evenpalette.core.recipe.own_kinds import take_own  # most have none

        files = take_own()
        broken = [str(file.broken) for file in files if file.broken is not None]
        new = [file.path.name for file in files if not file.is_trusted and file.broken is None]
        if broken:
            self._session.said.emit(f"A step of your own is left out: {broken[0]}", True)
        elif new:
            self._session.said.emit(
                f"{listed(new)} in your folder of steps is not run before you trust it: Project menu, Steps of your own.", False
            )  # fmt: skip

    def own_steps(self) -> None:
        """Show the steps of the user's own, and ask whether those that are new may be run."""
        from evenpalette.core.recipe.own_kinds import SENTENCE, take_own, trust

        files = take_own()
        new = [file for file in files if not file.is_trusted and file.broken is None]
        if not new:
            words = (
                f"{len(files)} files of {own_folder()} are in use." if files else f"There are none in {own_folder()}."
            )
            broken = [str(file.broken) for file in files if file.broken is not None]
            self._session.said.emit(f"{words} {' '.join(broken[:2])}".strip(), bool(broken))
            return
        question = ListQuestion(
            self._window, "Steps of your own", f"Run these {len(new)} files from now on? {SENTENCE}",
            [str(file.path) for file in new], "Trust and run them",
        )  # fmt: skip
        if question.exec():
            try:
                for file in new:
                    trust(file.path)
            except EvenPaletteError as error:
                self._session.said.emit(str(error), True)
            else:
                self.take_own_steps()
                self._session.changed.emit(EVERYTHING)
        question.deleteLater()

    def ask_limits(self) -> None:
        factor, done = QInputDialog.getDouble(
            self._window, "File limits", "Larger files take more memory and time.\nRaise all limits by a factor of",
            limits_factor(), 1.0, MOST, 1,
        )  # fmt: skip
        if done:
            set_limits_factor(factor)

    def open_demo(self, name: str = "", into: Path | None = None, then: Callable[[], None] | None = None) -> None:
        """Open a fresh copy of a demo project."""
        if not self.may_leave():
            return
        try:
            folder = copy_demo(into, name)
        except EvenPaletteError as error:
            self._session.said.emit(str(error), True)
            return
        self.open_path(folder, then)

    def save(self) -> None:
        """Save where it was saved before, or ask."""
        if self._session.path is None or self._session.is_read_only:
            self.save_as()
        else:
            self._session.save(then=self._was_saved)

    def _was_saved(self) -> None:
        if self._session.path is not None:
            remember(self._session.path)
            self._session.said.emit(f"Saved to {self._session.path}", False)

    def _ask_folder(self) -> Path | None:
        proposal = str(Path.home() / safe_name(self._session.state.project.name))
        path, _ = QFileDialog.getSaveFileName(self._window, "Save project as a folder", proposal)
        if not path:
            return None
        folder = Path(path)
        mine = self._session.path is not None and folder.resolve() == self._session.path.resolve()
        if (folder / PROJECT_FILE).exists() and (not mine or self._session.is_read_only):
            replace = "Put this one there"
            if (
                ask(
                    self._window,
                    "Replace a project",
                    f"{folder} holds another project. Put this one in its place?",
                    [(replace, Role.AcceptRole)],
                )
                != replace
            ):
                return None
        return folder

    def save_as(self) -> None:
        """Ask for a folder and save there."""
        if folder := self._ask_folder():
            self._session.save(folder, then=self._was_saved)

    def offer_recovery(self) -> None:
        """Look after what a crash left behind: sets of files are finished or removed, autosaves are asked about."""
        self._session.tasks.start(
            Task(
                "Looking after what was left",
                lambda _: finish_left_behind(),
                lambda _: None,
                self._session.failed,
                exclusive=False,
            )
        )
        found = autosave.find_recoverable()
        if found:
            RecoveryDialog(found, self._recover, autosave.forget, self._window).exec()

    def _recover(self, item: autosave.Recoverable) -> None:
        def done(state: State) -> None:
            storage = Storage(Path(item.project)) if item.project else None
            held = self._hold(storage.folder) if storage is not None and storage.folder.is_dir() else (None, False)
            lock, read_only = held if held is not None else (None, True)
            # The old autosave goes only when a new copy is complete.
            self._session.open_state(
                state, storage, "Recovered", dirty=True, lock=lock, read_only=read_only,
                when_kept=lambda: autosave.forget(item),
            )  # fmt: skip
            self._go_to_work(state)
            self._session.keeping.autosave()

        self._session.tasks.start(Task("Recovering", lambda _: autosave.recover(item), done, self._session.failed))

    def _go_to_work(self, state: State) -> None:
        """Open the station where this project was left, else the first one that its work needs."""
        path = self._session.path
        self._session.set_station((station_of(path) if path is not None else "") or self._begin_at(state))
