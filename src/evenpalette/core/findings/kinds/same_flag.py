"""Regions of one division that have one flag color."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.edits import regions
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.regions.dividing.flags import next_flag


def find(look: Inspection) -> Iterator[Finding]:
    """Each that has the flag of one before it."""
    for division in look.divisions:
        seen: dict[str, str] = {}
        for region in division.division.regions:
            if region.flag in seen:
                text = f"{region.name} has the same flag color as {seen[region.flag]}"
                yield FINDING.at(text, region.id)
            seen[region.flag] = region.name


def mend(_: State, finding: Finding) -> Mend:
    """Give it another."""
    return "Take the next free flag", lambda s: regions.update_region(
        s, finding.region, flag=next_flag([r.flag for r in s.project.regions.regions])
    )


FINDING = FindingKind("same-flag", "regions", 70, Weight.TIDY, Cost.TEXELS, find, mend)
