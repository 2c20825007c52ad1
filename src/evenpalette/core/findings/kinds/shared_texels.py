"""Faces of different regions on the same texels: one of them gets the other's coverage."""

from collections.abc import Iterator

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.regions.checks.gaps import spot


def find(look: Inspection) -> Iterator[Finding]:
    """Texels under faces that different regions have taken."""
    for division in look.whole_divisions:
        if division.shared is not None:
            text = (
                f"{int(division.shared.sum()):,} texels lie under faces of different regions (overlapping UVs). "
                "Give those faces one region, or lay their islands apart"
            )
            yield FINDING.at(text, place=spot(division.shared)[0])


FINDING = FindingKind("shared-texels", "regions", 100, Weight.WRONG, Cost.TEXELS, find)
