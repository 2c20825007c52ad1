"""Strips one texel wide, too thin for an edge."""

from collections.abc import Iterator

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.names import listed
from evenpalette.core.regions.checks.gaps import spot
from evenpalette.core.regions.checks.specks import thin_strips


def find(look: Inspection) -> Iterator[Finding]:
    """The strips of each division, said of the regions that have them."""
    for division in look.whole_divisions:
        if division.is_grainy:
            continue
        strips = thin_strips(division.owner, division.used)
        if int(strips.max()) < 0:
            continue
        regions = division.division.regions
        held = [(n, count) for n in range(len(regions)) if (count := int((strips == n).sum()))]
        held.sort(key=lambda pair: -pair[1])
        worst = held[0][0]
        text = (
            f"{listed([regions[n].name for n, _ in held])}: {sum(count for _, count in held):,} texels in strips "
            "one texel wide, too few for an edge"
        )
        yield FINDING.at(text, regions[worst].id, spot(strips == worst)[0])


FINDING = FindingKind("thin", "regions", 90, Weight.TIDY, Cost.TEXELS, find)
