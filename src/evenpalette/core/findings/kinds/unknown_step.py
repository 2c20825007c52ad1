"""Steps of a kind that this version does not have."""

from collections.abc import Iterator

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.recipe.steps import KINDS


def find(look: Inspection) -> Iterator[Finding]:
    """Each of them; they are kept as they are."""
    for step in look.project.recipe.steps:
        if step.kind not in KINDS:
            yield FINDING.at(f"{step.name}: this version has no such kind of step")


FINDING = FindingKind("unknown-step", "recipe", 20, Weight.WRONG, Cost.DESCRIPTION, find)
