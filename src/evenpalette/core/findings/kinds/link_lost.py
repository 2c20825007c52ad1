"""Steps that follow a file which cannot be read."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.edits import links
from evenpalette.core.edits.links import changes_of
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def find(look: Inspection) -> Iterator[Finding]:
    """Each of them, with the reason."""
    for change in changes_of(look.state, look.may_read):
        if change.problem:
            yield FINDING.at(f"{change.name} follows a file: {change.problem}", subject=change.step_id)


def mend(_: State, finding: Finding) -> Mend:
    """Let it follow nothing."""
    return "Detach the step", lambda s: links.detach(s, finding.subject)


FINDING = FindingKind("link-lost", "recipe", 50, Weight.WRONG, Cost.PICTURES, find, mend)
