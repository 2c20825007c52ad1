"""Everything that is wrong with a document, by station. The window, `check` and delivery show the same list."""

from collections.abc import Iterator

from evenpalette.core.consent import MayRead, nothing
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.findings.finding import Finding, without
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend
from evenpalette.core.findings.kinds import FINDINGS

STATIONS = ("asset", "regions", "tones", "recipe", "variants", "delivery")


@dataclass(frozen=True, eq=False)
class RegionFindings:
    """The findings that look at every texel and the state they are of; they take longest and seldom change."""

    state: State
    findings: tuple[Finding, ...]

    def are_of(self, state: State) -> bool:
        """Whether they hold for this state too."""
        old = self.state
        return (
            old.project.regions == state.project.regions and old.coverages is state.coverages and old.mesh is state.mesh
        )


def find_in_regions(state: State) -> RegionFindings:
    """The findings that hold until regions, coverages or mesh change."""
    look = Inspection(state)
    return RegionFindings(state, tuple(f for k in _on_the_way() if k.cost is Cost.TEXELS for f in k.find(look)))


def find_all(state: State, regions: RegionFindings | None = None, may_read: MayRead = nothing) -> list[Finding]:
    """Findings of every station, in the order of the path, but for those that the artist chose to leave.

    regions: those already found, where they hold. may_read: which of the files that the project names may be looked
    into.
    """
    return without(everything(state, regions, may_read), state.project.ignored)[0]


def everything(state: State, regions: RegionFindings | None = None, may_read: MayRead = nothing) -> list[Finding]:
    """`find_all` with what the artist chose to leave."""
    held = (regions or find_in_regions(state)).findings
    look = Inspection(state, may_read)
    found: list[Finding] = []
    for kind in _on_the_way():
        found += (f for f in held if f.code == kind.key) if kind.cost is Cost.TEXELS else kind.find(look)
    return found


def _on_the_way() -> Iterator[FindingKind]:
    """The kinds station by station; those of stations that we do not know come last."""
    last = len(STATIONS)
    yield from sorted(FINDINGS.values(), key=lambda k: STATIONS.index(k.station) if k.station in STATIONS else last)


def mend_for(state: State, finding: Finding) -> Mend | None:
    """The label of the mend and the edit that does it, or None where only the artist can decide."""
    kind = FINDINGS.get(finding.code)
    return kind.mend(state, finding) if kind is not None and kind.mend is not None else None
