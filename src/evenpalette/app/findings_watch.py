"""Findings of the open document: looked for a moment after each change, off the interface thread."""

from collections.abc import Iterable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from evenpalette.app.tasks import Task
from evenpalette.app.timers import timer
from evenpalette.core.findings.finding import Finding, without
from evenpalette.core.regions.checks.gaps import shares
from evenpalette.core.regions.region_set import Region

if TYPE_CHECKING:
    from evenpalette.app.session import Session
    from evenpalette.core.findings.findings import RegionFindings


class FindingsWatch(QObject):
    """What was found in the document of a session, and how much of the used UV area its regions have."""

    changed = pyqtSignal()

    def __init__(self, session: "Session") -> None:
        super().__init__(session)
        self._session = session
        #: What is open, and what the artist chose to leave.
        self.findings: list[Finding] = []
        self.left: list[Finding] = []
        self._known: RegionFindings | None = None
        #: Of each region whose part of the used UV area is known, that, 0..1.
        self.shares: dict[str, float] = {}
        #: Whether findings of this document have been looked for since it was opened.
        self.has_looked = False
        self._is_under_way = self._is_outdated = False
        self._timer = timer(self, 250)
        self._timer.timeout.connect(self._find)

    def begin(self) -> None:
        """Another document, of which nothing is known. Nobody is told yet."""
        self.findings, self.left, self.shares, self.has_looked = [], [], {}, False

    @property
    def is_looking(self) -> bool:
        """Whether findings are looked for, or will be in a moment."""
        return self._timer.isActive() or self._is_under_way

    def stop(self) -> None:
        """Look for nothing more."""
        self._timer.stop()

    def covered(self, regions: Iterable[Region]) -> float | None:
        """The part of the used UV area that regions have; None where none of theirs is known yet."""
        known = [self.shares[region.id] for region in regions if region.id in self.shares]
        return sum(known) if known else None

    def again(self) -> None:
        """Look for findings once more: the document changed, or something beside it."""
        self._timer.start()

    def _find(self) -> None:
        if self._is_under_way:
            # One look at a time: what it is of is passed already.
            self._is_outdated = True
            return
        session, state, known = self._session, self._session.state, self._known
        followed = {path for path in session.sources.links() if session.sources.may_read(path)}

        def look() -> "tuple[RegionFindings, list[Finding], dict[str, float]]":
            # Loaded here, on this thread: the first picture needs none of it.
            from evenpalette.core.findings.findings import everything, find_in_regions
            from evenpalette.core.findings.ranking import ranked

            if state.mesh is not None:
                state.mesh.prepare()
            regions = known if known is not None and known.are_of(state) else find_in_regions(state)
            covered = shares(dict(state.coverages), state.used) if state.coverages else {}
            return regions, ranked(everything(state, regions, followed.__contains__)), covered

        def ended() -> None:
            self._is_under_way = False
            if self._is_outdated:
                self.again()

        def done(found: "tuple[RegionFindings, list[Finding], dict[str, float]]") -> None:
            ended()
            self._known = found[0]
            if session.state.project is state.project and session.state.coverages is state.coverages:
                _, every, self.shares = found
                self.findings, self.left = without(every, state.project.ignored)
                self.has_looked = True
                self.changed.emit()
            else:
                self.again()

        def failed(error: Exception) -> None:
            ended()
            session.failed(error)

        self._is_outdated = False
        task = Task("Findings", lambda _: look(), done, failed, exclusive=False, aside=True)
        self._is_under_way = session.tasks.start(task)
