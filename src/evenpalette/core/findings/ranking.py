"""Findings in the order in which they matter, and what the artist has chosen to leave."""

from collections.abc import Iterable, Sequence

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


def without(findings: Sequence[Finding], ignored: Iterable[str]) -> tuple[list[Finding], list[Finding]]:
    """Those that are open, and those that the artist chose to leave, by their keys."""
    left = frozenset(ignored)
    return [f for f in findings if f.key not in left], [f for f in findings if f.key in left]
