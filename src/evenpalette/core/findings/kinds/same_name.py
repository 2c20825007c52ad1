"""Regions of one division that are called alike."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.edits import regions
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def find(look: Inspection) -> Iterator[Finding]:
    """Each that is called as one before it."""
    for division in look.divisions:
        seen: set[str] = set()
        for region in division.division.regions:
            if region.name.lower() in seen:
                yield FINDING.at(f"Two regions are called {region.name}", region.id)
            seen.add(region.name.lower())


def mend(state: State, finding: Finding) -> Mend | None:
    """Give it a number."""
    region = state.project.regions.find(finding.region)
    if region is None:
        return None
    name = region.name
    return "Number its name", lambda s: regions.update_region(
        s, finding.region, name=regions.free_region_name(list(s.project.regions.regions), name)
    )


FINDING = FindingKind("same-name", "regions", 60, Weight.TIDY, Cost.TEXELS, find, mend)
