"""A recipe that starts from a tone that is not made."""

from collections.abc import Iterator

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.recipe.recipe import TONE


def find(look: Inspection) -> Iterator[Finding]:
    """Where there are steps and no tone."""
    recipe = look.project.recipe
    if recipe.steps and recipe.base == TONE and look.state.tone is None:
        yield FINDING.at("The recipe starts from the tone, but there is none yet")


FINDING = FindingKind("no-tone", "recipe", 10, Weight.WRONG, Cost.DESCRIPTION, find)
