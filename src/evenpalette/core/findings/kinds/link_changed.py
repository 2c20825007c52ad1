"""Steps whose file has changed since it was taken."""

from collections.abc import Iterator
from pathlib import Path

from evenpalette.core.document.state import State
from evenpalette.core.edits import links
from evenpalette.core.edits.links import changes_of
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def find(look: Inspection) -> Iterator[Finding]:
    """Each of them, with what has changed."""
    for change in changes_of(look.state, look.may_read):
        if not change.problem:
            text = f"{change.name}: {Path(change.path).name} has changed. {'; '.join(change.what[:3])}"
            yield FINDING.at(text, subject=change.step_id)


def mend(_: State, finding: Finding) -> Mend:
    """Take what is new and keep what is ours."""
    return "Take the changes", lambda s: links.take_changes(s, [finding.subject])


FINDING = FindingKind("link-changed", "recipe", 60, Weight.TIDY, Cost.PICTURES, find, mend)
