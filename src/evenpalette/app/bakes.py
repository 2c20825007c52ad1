"""Bakes made beside the artist's work: again whenever what they read changes, coarse first."""

import threading
import time
from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from evenpalette.app.facets import ASSET, COVERAGES, RECIPE, REGIONS
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.timers import timer
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.bake import Bake
from evenpalette.core.document.state import State
from evenpalette.core.edits.bake_wishes import read_by_bake
from evenpalette.core.edits.bakes import baked_textures, make_bake, outdated, with_made, with_seen
from evenpalette.core.errors import Cancelled, EvenPaletteError
from evenpalette.core.parallel import Progress
from evenpalette.core.raster.raster import Raster

#: Between a change and the look for what is out of date, in ms.
_PAUSE_MS = 150
#: What follows strokes and steps rests as long as the dearest bake took, and at most so many ms: while somebody works,
#: bakes have half of the machine at most.
_LONGEST_REST_MS = 10_000
#: A picture that is getting better is shown at most so often, in seconds.
_SHOWN_EVERY = 0.3
#: How often a bake is taken up by a document that became another one meanwhile, as by the picture before.
_TRIES = 3

Change = Callable[[State], State]


@dataclass(frozen=True)
class _Outcome:
    """What came of a bake: a change that takes it up, or the error; neither where it was stopped. read: a hash of what
    it read."""

    texture: str
    read: str
    change: Change | None = None
    error: EvenPaletteError | None = None


@dataclass
class Baking:
    """A bake under way."""

    texture: str
    wish: Bake
    share: float = 0.0
    rays: int = 0


class BakeKeeper(QObject):
    """Keeps the bakes of a session up to date; one is made at a time, silently, and can be stopped."""

    #: How far the bake under way is, or that there is none.
    progressed = pyqtSignal()
    #: A texture was baked: its id, and what it held before.
    made = pyqtSignal(str, object)
    _seen = pyqtSignal(str, object, int)
    _moved = pyqtSignal(float)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.under_way: Baking | None = None
        #: How long what a change outdates rests at least before it is baked again, in ms.
        self.least_rest_ms = 0
        self._stop = threading.Event()
        self._history = session.history
        #: What was given up, by texture: a hash of what it would have read.
        self._left: dict[str, str] = {}
        self._before: Raster | None = None
        #: Whether it was to begin while one was under way, which does not know of what was asked for.
        self._is_asked = False
        self._timer = timer(self, _PAUSE_MS)
        self._timer.timeout.connect(self._begin)
        self._seen.connect(self._show)
        self._moved.connect(self._move)
        session.changed.connect(self._changed)

    def stop(self) -> None:
        """Give the bake under way up; it is not begun again before something of it changes."""
        self._stop.set()

    def again(self, texture: str) -> None:
        """Make a bake that was given up."""
        self._left.pop(texture, None)
        self._timer.start(_PAUSE_MS)

    def _changed(self, facets: frozenset[str]) -> None:
        if self._history is not self._session.history:
            # What the project before was baking is of no use to this one.
            self._history, self._left, self._before = self._session.history, {}, None
            self._stop.set()
        baked = [t.bake.seconds for t in baked_textures(self._session.state) if t.bake is not None]
        if not facets & {ASSET, RECIPE, REGIONS, COVERAGES} or not baked:
            return
        now = self.under_way
        if now is not None and now.texture:
            texture = self._session.state.project.asset.texture(now.texture)
            if texture is None or texture.bake is None or not texture.bake.is_wished_as(now.wish):
                self._stop.set()
        rest = 0 if ASSET in facets else min(int(max(baked) * 1000), _LONGEST_REST_MS)
        self._timer.start(max(_PAUSE_MS, rest, self.least_rest_ms))

    def _begin(self) -> None:
        self._is_asked = self.under_way is not None
        if self._is_asked or not baked_textures(self._session.state):
            return
        state, left, stop = self._session.state, dict(self._left), threading.Event()
        history = self._session.history
        # Which one it is, is looked for beside the window.
        self._stop, self.under_way = stop, Baking("", Bake(kind=""))
        last = [0.0]

        def work(progress: Progress) -> _Outcome | None:
            found = next((t for t in outdated(state) if left.get(t.id) != read_by_bake(state, t.bake)), None)  # type: ignore[arg-type]
            if found is None or found.bake is None:
                return None
            self.under_way = Baking(found.id, found.bake)

            def moved(share: float) -> None:
                progress(share)
                if stop.is_set():
                    raise Cancelled("stopped")
                self._moved.emit(share)

            def seen(raster: Raster, rays: int) -> None:
                if time.monotonic() - last[0] > _SHOWN_EVERY:
                    last[0] = time.monotonic()
                    self._seen.emit(found.id, raster, rays)

            read = read_by_bake(state, found.bake)
            try:
                made = make_bake(state, found.id, progress=moved, seen=seen, may_read=self._session.sources.may_read)
            except Cancelled:
                return _Outcome(found.id, read)
            except EvenPaletteError as error:
                return _Outcome(found.id, read, error=error)
            return _Outcome(found.id, read, self._ahead(lambda s: with_made(s, found.id, made)))

        def done(found: _Outcome | None) -> None:
            if self._session.history is history:
                self._done(found)
                look_again()
            else:
                self.under_way = None
                self.progressed.emit()
                self._timer.start(_PAUSE_MS)

        def failed(error: Exception) -> None:
            self._failed(error)
            look_again()

        def look_again() -> None:
            if self._is_asked and not self._timer.isActive():
                self._timer.start(_PAUSE_MS)

        self._session.tasks.start(Task("Baking", work, done, failed, exclusive=False, aside=True, yields=True))

    def _move(self, share: float) -> None:
        if self.under_way is not None:
            self.under_way.share = share
            self.progressed.emit()

    def _ahead(self, change: Change) -> Change:
        """A change that is worked out for the document as it is now, on this thread: regions that are made from the
        texture follow it. The window's thread has to where the document became another one meanwhile."""
        for _ in range(_TRIES):
            state = self._session.state
            after = change(state)
            if self._session.state is state:
                break
        return lambda s: after if s is state else change(s)

    def _show(self, texture: str, raster: Raster, rays: int) -> None:
        now = None if self._stop.is_set() else self.under_way
        held = self._session.state.project.asset.texture(texture)
        if now is None or held is None or held.bake is None or not held.bake.is_wished_as(now.wish):
            return
        now.rays = rays
        if self._before is None:
            self._before = self._session.state.textures.get(texture)
        self._session.refine(lambda s: with_seen(s, texture, raster), texture)
        self.progressed.emit()

    def _done(self, found: "_Outcome | None") -> None:
        self.under_way = None
        if found is None:
            self.progressed.emit()
            return
        texture, read = found.texture, found.read
        before, self._before = self._before, None
        if found.change is not None:
            before = before or self._session.state.textures.get(texture)
            self._session.refine(found.change, texture)
            self.made.emit(texture, before)
        else:
            held = self._session.state.project.asset.texture(texture)
            same = held is not None and held.bake is not None and read_by_bake(self._session.state, held.bake) == read
            if before is not None and held is not None:
                # What was there stays where nothing new came of it.
                self._session.refine(lambda s: with_seen(s, texture, before), texture)
            if same:
                self._left[texture] = read
            if found.error is not None:
                self._session.said.emit(str(found.error), True)
            elif same:
                self._session.said.emit(
                    "The bake was stopped. What was there stays; make it again at Asset, Bakes.", False
                )
        self.progressed.emit()
        self._timer.start(_PAUSE_MS)

    def _failed(self, error: Exception) -> None:
        self.under_way = None
        self._session.failed(error)
        self.progressed.emit()
