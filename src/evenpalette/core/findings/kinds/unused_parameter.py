"""Parameters that no step reads."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.edits import parameters
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def find(look: Inspection) -> Iterator[Finding]:
    """Each of them."""
    for parameter in look.project.parameters:
        if not look.project.users(parameter.id):
            text = f"No step reads the parameter {parameter.name}; moving it changes nothing"
            yield FINDING.at(text, subject=parameter.id)


def mend(_: State, finding: Finding) -> Mend:
    """Remove it."""
    return "Remove the parameter", lambda s: parameters.remove_parameter(s, finding.subject)


FINDING = FindingKind("unused-parameter", "recipe", 80, Weight.TIDY, Cost.DESCRIPTION, find, mend)
