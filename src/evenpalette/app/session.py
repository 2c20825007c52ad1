"""The open document as the window sees it: its history, its file, what is selected, and who must be told."""

import contextlib
from collections import deque
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from evenpalette.app import mishaps
from evenpalette.app.answers import answer
from evenpalette.app.facets import ACTIVE, CROWD, EVERYTHING, REVIEW, difference
from evenpalette.app.findings_watch import FindingsWatch
from evenpalette.app.folder_lock import FolderLock
from evenpalette.app.keeping import Keeping
from evenpalette.app.saving import Saving
from evenpalette.app.selection import Selection
from evenpalette.app.sources import Sources
from evenpalette.app.tasks import Task, TaskRunner
from evenpalette.core.document.history import History
from evenpalette.core.document.state import State
from evenpalette.core.errors import Cancelled, EvenPaletteError, ProjectChanged
from evenpalette.core.parallel import Progress
from evenpalette.core.storage.budget import check_budget
from evenpalette.core.storage.storage import Storage


class Session(QObject):
    """One document, its history and its place on disk."""

    changed = pyqtSignal(frozenset)
    station_changed = pyqtSignal(str)
    saved_changed = pyqtSignal()
    said = pyqtSignal(str, bool)
    go_to = pyqtSignal(float, float)
    #: Another program changed the project on disk; the artist decides what becomes of it.
    conflicted = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.history = History(State(), "New project")
        self.storage: Storage | None = None
        self.tasks = TaskRunner(self)
        self.tasks.refused.connect(lambda why: self.said.emit(why, True))
        self.station = "asset"
        self.selection = Selection(self)
        self.sources = Sources(self)
        self.watch = FindingsWatch(self)
        self._saved: State = self.history.state
        self.lock: FolderLock | None = None
        self.is_read_only = False
        self.saving = Saving(self.tasks, self)
        self.saving.saved.connect(self._was_saved)
        self.saving.failed.connect(self._save_failed)
        self._latest: tuple[str, Callable[[State], State], str] | None = None
        self._latest_running = False
        #: Counts what the artist does to the document; how much is being computed for it, and what bakes made of it
        #: meanwhile, the last of each key.
        self._turn = self._at_work = 0
        self._refined: dict[str, Callable[[State], State]] = {}
        #: States that were to be saved, each with its turn.
        self._saves: deque[tuple[State, int]] = deque(maxlen=8)
        self.keeping = Keeping(self, self.tasks, self)

    @property
    def state(self) -> State:
        """The document as it is now."""
        return self.history.state

    @property
    def is_dirty(self) -> bool:
        """Whether there are changes that the last save does not hold."""
        return not self.state.is_same_document(self._saved)

    @property
    def path(self) -> Path | None:
        """The project folder, None before the first save."""
        return self.storage.folder if self.storage else None

    def open_state(
        self, state: State, storage: Storage | None, label: str, *, dirty: bool = False, lock: FolderLock | None = None,
        read_only: bool = False, when_kept: Callable[[], None] | None = None,
    ) -> None:  # fmt: skip
        """Take over another document.

        lock: holds its folder. when_kept: is called once a copy of it is safe, by an autosave or a save.
        """
        self.hold(lock)
        self.is_read_only = read_only
        self.storage = storage
        self._turn += 1
        self.history = History(state, label)
        self._saved = State() if dirty else state
        self.keeping.begin(state, self._saved, when_kept)
        self.selection.begin()
        self.watch.begin()
        self.changed.emit(EVERYTHING)
        self.selection.changed.emit()
        self.watch.changed.emit()
        self.watch.again()
        self.saved_changed.emit()

    def hold(self, lock: FolderLock | None) -> None:
        """Hold another folder, or none; the one that was held is let go."""
        if self.lock is not None and self.lock is not lock:
            self.lock.release()
        self.lock = lock

    @property
    def is_calm(self) -> bool:
        """Whether nothing is under way that is waited for: no task, no edit that follows the pointer. Bakes go on
        beside it, and findings are looked for."""
        return self.tasks.is_idle and not self._latest_running

    def apply(self, label: str, edit: Callable[[State], State], key: str = "") -> bool:
        """Change the document; an error is shown and changes nothing. Equal keys join into one undo step."""
        try:
            after = edit(self.state)
        except EvenPaletteError as error:
            self.said.emit(str(error), True)
            return False
        except Exception as error:
            mishaps.report(error)
            return False
        self.commit(label, after, key)
        return True

    def commit(self, label: str, after: State, key: str = "") -> None:
        """Make a computed state the present one."""
        before = self.state
        if after is before:
            return
        try:
            check_budget(before, after)
        except EvenPaletteError as error:
            self.said.emit(str(error), True)
            return
        if not after.is_same_document(before):
            self._turn += 1
        self.history.push(label, after, key)
        self._announce(before)

    def run(self, label: str, edit: Callable[[State, Progress], State], then: Callable[[], None] | None = None) -> None:
        """Change the document off the interface thread, with progress and cancel."""
        before, turn = self.state, self._begin_work()

        def done(after: State) -> None:
            made = self._end_work(turn)
            if made is None:
                self.said.emit(
                    f"{label}: the document changed meanwhile, so the result was dropped. Do it again.", True
                )
                return
            kept = after.chosen is before.chosen
            after = replace(after, chosen=self.state.chosen) if kept else after
            self.commit(label, _with_all(after, made))
            if then:
                answer(then)

        def failed(error: Exception) -> None:
            self._end_work(turn)
            self.failed(error)

        if not self.tasks.start(Task(label, lambda progress: edit(before, progress).ready_for_views(), done, failed)):
            self._end_work(turn)

    def _begin_work(self) -> int:
        """Something is computed from the document as it is now."""
        self._at_work += 1
        return self._turn

    def _end_work(self, turn: int) -> list[Callable[[State], State]] | None:
        """What bakes have made of the document since, to be done to what was computed too; None where the artist has
        changed it."""
        made = list(self._refined.values()) if turn == self._turn else None
        self._at_work -= 1
        if not self._at_work:
            self._refined.clear()
        return made

    def run_latest(self, label: str, edit: Callable[[State], State], key: str = "") -> None:
        """Change the document off the interface thread, for edits that follow the pointer: of those that come in while
        one is being computed only the newest is done."""
        self._latest = (label, edit, key)
        if not self._latest_running:
            self._next_latest()

    def _next_latest(self) -> None:
        if self._latest is None:
            return
        (label, edit, key), self._latest, before = self._latest, None, self.state
        self._latest_running, turn = True, self._begin_work()

        def done(after: State) -> None:
            self._latest_running = False
            made = self._end_work(turn)
            if made is not None:
                self.commit(label, _with_all(after, made), key)
            elif self._latest is None:
                self._latest = (label, edit, key)
            self._next_latest()

        def failed(error: Exception) -> None:
            self._latest_running = False
            self._end_work(turn)
            self.failed(error)
            self._next_latest()

        self.tasks.start(Task(label, lambda _: edit(before), done, failed, exclusive=False))

    def work_on(self, sheet_id: str) -> None:
        """Work on another sheet from now on; undo comes back."""
        sheet = next((s for s in self.state.project.sheets if s.id == sheet_id), None)
        if sheet is not None and sheet.id != self.state.sheet.id:
            self.apply(f"Work on {sheet.name}", lambda s: s.on(sheet_id))

    def failed(self, error: Exception) -> None:
        """Say that work did not come to its end: stopped, or refused with a reason. What went wrong inside was said."""
        if isinstance(error, Cancelled):
            self.said.emit("Stopped. Nothing was changed.", False)
        elif isinstance(error, EvenPaletteError):
            self.said.emit(str(error), True)

    def undo(self) -> None:
        """Take the last change back."""
        self.move_to(self.history.position - 1)

    def redo(self) -> None:
        """Bring the change back."""
        self.move_to(self.history.position + 1)

    def note(self, change: Callable[[State], State]) -> None:
        """Have the document know something that the artist did not change, as what was delivered: it is not undone, and
        nothing is unsaved by it. It is kept with the next save."""
        self._by_itself(lambda: self.history.amend(change))
        if self._at_work:
            self._refined["note"] = change

    def refine(self, change: Callable[[State], State], key: str) -> None:
        """Have work that the last change began come to its end, as a bake does: it belongs to that change, and can be
        made again, so that nothing is unsaved by it. key: of what; the last one of a key counts."""
        after = change(self.state)
        if after is not self.state:
            self._by_itself(lambda: self.history.refine(after))
            if self._at_work:
                self._refined[key] = change

    def _by_itself(self, change: Callable[[], None]) -> None:
        before, was_saved, was_kept = self.state, not self.is_dirty, self.keeping.holds(self.state)
        change()
        if was_saved:
            self._saved = self.state
        if was_kept:
            self.keeping.goes_along(self.state)
        self._announce(before)

    def move_to(self, position: int) -> None:
        """Go to a place in the history."""
        before = self.state
        self.history.go_to(position)
        if not self.state.is_same_document(before):
            self._turn += 1
        if self.state is not before:
            self._announce(before)

    def _announce(self, before: State) -> None:
        facets = difference(before, self.state)
        self.selection.fit()
        self.changed.emit(facets)
        self.saved_changed.emit()
        if facets - {ACTIVE, CROWD, REVIEW} or before.project.ignored != self.state.project.ignored:
            self.watch.again()

    def set_station(self, station: str) -> None:
        """Go to a station."""
        if station != self.station:
            self.station = station
            self.station_changed.emit(station)

    def save(
        self, folder: Path | None = None, then: Callable[[], None] | None = None, *, overwrite: bool = False
    ) -> None:
        """Save off the interface thread; into `folder`, or where it was saved before.

        Saves come one after the other, and of those that wait for one folder only the newest is done. overwrite: also
        when another program saved there meanwhile.
        """
        storage = self.storage
        if folder is not None and (storage is None or storage.folder.resolve() != folder.resolve()):
            storage = self.saving.storage_for(folder)
        if storage is None:
            return
        if not overwrite and self.lock is not None and storage is self.storage and self.lock.is_lost:
            self.conflicted.emit(f"{storage.folder.name} was taken over by another window: {self.lock.holder()}.")
            return
        self._saves.append((self.state, self._turn))
        self.saving.ask(storage, self.state, self.history, overwrite=overwrite, then=then)

    def _save_failed(self, error: Exception) -> None:
        if isinstance(error, ProjectChanged):
            self.conflicted.emit(str(error))
        else:
            self.failed(error)

    def _was_saved(self, storage: Storage, state: State, document: object) -> None:
        # Another document may have been opened meanwhile; what was saved of the old one is on disk all the same.
        if self.history is not document:
            return
        if self.storage is not storage or self.lock is None or self.lock.is_lost:
            lock = FolderLock(storage.folder)
            self.hold(lock if lock.take() or lock.take_over() else None)
        self.storage = storage
        self.is_read_only = False
        turn = next((turn for saved, turn in self._saves if saved is state), -1)
        # A bake that came to its end meanwhile is nothing that is unsaved.
        self._saved = self.state if turn == self._turn else state
        self.keeping.was_saved(f"Saved at {datetime.now():%H:%M:%S}", self._saved)
        self.saved_changed.emit()

    def close(self) -> None:
        """The document is given up on purpose: what runs is stopped or waited for, nothing is left behind."""
        self.keeping.stop()
        self.watch.stop()
        self._latest = None
        self.tasks.stop()
        self.keeping.discard()
        self.hold(None)


def _with_all(state: State, changes: list[Callable[[State], State]]) -> State:
    """A state with what bakes made meanwhile; what is not there any more needs nothing."""
    for change in changes:
        with contextlib.suppress(EvenPaletteError):
            state = change(state)
    return state
