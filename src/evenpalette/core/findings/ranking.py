"""Findings in the order in which they matter."""

from collections.abc import Iterable

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.kind import Weight
from evenpalette.core.findings.kinds import FINDINGS


def weight(finding: Finding) -> Weight:
    """How much a finding matters; one of no kind that is known makes a result poor."""
    kind = FINDINGS.get(finding.code)
    return kind.weight if kind is not None else Weight.POOR


def ranked(findings: Iterable[Finding]) -> list[Finding]:
    """The ones that matter most first, each kind in the order of the path."""
    return sorted(findings, key=weight)
