"""Regions that cover nothing."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.edits import regions
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.names import listed


def find(look: Inspection) -> Iterator[Finding]:
    """Regions that have half of no used texel, those that have nothing at all apart."""
    for division in look.divisions:
        weak = [r for r in division.division.regions if r.id in division.planes and division.held.most[r.id] < 128]
        bare = [r for r in weak if not division.held.most[r.id]]
        shared = [r for r in weak if division.held.most[r.id]]
        if bare:
            verb = "covers" if len(bare) == 1 else "cover"
            yield FINDING.at(f"{listed([region.name for region in bare])} {verb} no used texel", bare[0].id)
        if shared:
            verb, their = ("covers", "its") if len(shared) == 1 else ("cover", "their")
            names = listed([region.name for region in shared])
            text = f"{names} {verb} less than half of every texel. Bake larger, or give {their} faces to another region"
            yield FINDING.at(text, shared[0].id)


def mend(_: State, finding: Finding) -> Mend:
    """Remove the first of them."""
    return "Remove the region", lambda s: regions.remove_region(s, finding.region)


FINDING = FindingKind("empty", "regions", 40, Weight.WRONG, Cost.TEXELS, find, mend)
