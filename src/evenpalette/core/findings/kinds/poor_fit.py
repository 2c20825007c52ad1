"""Regions whose paint one tint does not rebuild."""

from collections.abc import Iterator

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.names import listed

#: Mean CIEDE2000 of a fit that is seen at a glance: common practice, no source.
_SEEN = 3.0


def find(look: Inspection) -> Iterator[Finding]:
    """What the last fit of the tone left, the worst first."""
    report = look.project.tone.report
    if report is None:
        return
    names = {region.id: region.name for region in look.project.regions.regions}
    poor = sorted((r for r in report.rows if r.region in names and r.mean > _SEEN), key=lambda row: -row.mean)
    if poor:
        what, most = ("it", "") if len(poor) == 1 else ("them", "up to ")
        called = listed([names[row.region] for row in poor])
        text = f"{called}: one tint does not rebuild {what} (mean CIEDE2000 {most}{poor[0].mean:.1f})"
        yield FINDING.at(text, poor[0].region)


FINDING = FindingKind("poor-fit", "tones", 10, Weight.POOR, Cost.DESCRIPTION, find)
