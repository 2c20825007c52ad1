"""Regions that should exclude each other and sum past one."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.edits import regions
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.regions.checks.gaps import spot
from evenpalette.core.regions.overlap import Overlap


def find(look: Inspection) -> Iterator[Finding]:
    """Texels of divisions whose regions exclude each other."""
    for division in look.divisions:
        if not division.planes or division.division.overlap is not Overlap.EXCLUSIVE:
            continue
        overlaps = division.inside & (division.held.total > 264)
        if overlaps.any():
            text = f"Overlap: the regions of {int(overlaps.sum()):,} texels sum past one"
            yield FINDING.at(text, place=spot(overlaps)[0], subject=division.division.id)


def mend(_: State, finding: Finding) -> Mend:
    """Change what overlapping means."""
    return (
        "Let later regions cover earlier ones",
        lambda s: regions.set_overlap(s, Overlap.LAYERED, finding.subject),
    )


FINDING = FindingKind("overlap", "regions", 30, Weight.WRONG, Cost.TEXELS, find, mend)
