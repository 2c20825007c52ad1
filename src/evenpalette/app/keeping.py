"""What keeps a document from being lost between its saves: a copy where a crash cannot reach it, and how it was at each
former save."""

import weakref
from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from PyQt6.QtCore import QObject

from evenpalette.app.tasks import Task, TaskRunner
from evenpalette.app.timers import timer
from evenpalette.core.document.state import State
from evenpalette.core.storage.autosave import INTERVAL_SECONDS, Autosave

#: So many former saves are known.
_FORMER = 12


class Kept(Protocol):
    """The open document."""

    @property
    def state(self) -> State: ...
    @property
    def path(self) -> Path | None: ...
    @property
    def is_dirty(self) -> bool: ...
    def failed(self, error: Exception) -> None: ...


class Keeping(QObject):
    """Copies the document now and then, and remembers its saves."""

    def __init__(self, document: Kept, tasks: TaskRunner, parent: QObject) -> None:
        super().__init__(parent)
        self._document, self._tasks = document, tasks
        #: Those that the history has let go are gone.
        self._former: deque[tuple[str, weakref.ref[State]]] = deque(maxlen=_FORMER)
        self._copied = document.state
        self._copy = Autosave()
        self._is_copying = False
        self._when_kept: Callable[[], None] | None = None
        self._timer = timer(self, INTERVAL_SECONDS * 1000, once=False)
        self._timer.timeout.connect(self.autosave)
        self._timer.start()

    def begin(self, opened: State, saved: State, when_kept: Callable[[], None] | None) -> None:
        """Another document is open. saved: what of it is safe already. when_kept: is called once a copy of it is safe,
        by an autosave or a save."""
        self._renew()
        self._when_kept = when_kept
        self._former.clear()
        self._remember("As it was opened", opened)
        self._copied = saved

    def was_saved(self, words: str, saved: State) -> None:
        """The document is on disk as it was then; the copy is needless where it still is so."""
        self._remember(words, saved)
        self._tell()
        if self._document.state.is_same_document(saved):
            self._renew()
            self._copied = saved

    def holds(self, state: State) -> bool:
        """Whether this is what was copied or saved last."""
        return state.is_same_document(self._copied)

    def goes_along(self, state: State) -> None:
        """What the document came to by itself needs no copy."""
        self._copied = state

    @property
    def former(self) -> list[tuple[str, State]]:
        """How the document was when it was opened and at each save since, the newest first, as far back as its history
        goes."""
        found = [(words, state) for words, ref in reversed(self._former) if (state := ref()) is not None]
        return [(words, state) for words, state in found if state is not self._document.state]

    def autosave(self) -> None:
        """Keep a copy of unsaved changes where a crash cannot reach it."""
        state, copy = self._document.state, self._copy
        if self._is_copying or not self._document.is_dirty or self.holds(state):
            return
        where = str(self._document.path) if self._document.path else ""
        self._is_copying = True

        def done(_: object) -> None:
            self._is_copying = False
            if self._copy is copy:
                self._copied = state
                self._tell()

        def failed(error: Exception) -> None:
            self._is_copying = False
            self._document.failed(error)

        self._tasks.start(Task("Autosave", lambda _: copy.save(state, where), done, failed, exclusive=False))

    def stop(self) -> None:
        """No copy is made any more."""
        self._timer.stop()

    def discard(self) -> None:
        """The document is given up on purpose."""
        self._copy.discard()

    def _remember(self, words: str, state: State) -> None:
        if not self._former or self._former[-1][1]() is not state:
            self._former.append((words, weakref.ref(state)))

    def _renew(self) -> None:
        self._copy.discard()
        self._copy = Autosave()

    def _tell(self) -> None:
        if self._when_kept is not None:
            self._when_kept()
            self._when_kept = None
