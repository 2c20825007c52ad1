"""Steps with a row that is for no region."""

from collections.abc import Iterator

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.recipe.steps import KINDS


def find(look: Inspection) -> Iterator[Finding]:
    """Each of them."""
    for step in look.project.recipe.steps:
        if step.kind in KINDS and (not step.rows or any(row.regions == () for row in step.rows)):
            yield FINDING.at(f"{step.name} has a row for no region, so it changes nothing", subject=step.id)


FINDING = FindingKind("no-region", "recipe", 40, Weight.WRONG, Cost.DESCRIPTION, find)
