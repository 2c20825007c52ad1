"""Values that follow a shared one which is not to be had."""

from collections.abc import Iterator

from evenpalette.core.collection.shared import changes_of, part
from evenpalette.core.document.state import State
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.findings.kinds.shared_changed import key_of, name_of


def find(look: Inspection) -> Iterator[Finding]:
    """Each of them, with the reason."""
    for change in changes_of(look.state, look.may_read):
        if change.problem:
            yield FINDING.at(
                f"{name_of(look.state, change)} follows a shared value: {change.problem.rstrip('.')}",
                subject=key_of(change),
            )


def mend(_: State, finding: Finding) -> Mend:
    """Let it follow nothing."""
    parameter, variant = (finding.subject.split(" ") + [""])[:2]
    return "Let it follow nothing", lambda s: part(s, parameter, variant or None)


FINDING = FindingKind("shared-lost", "variants", 20, Weight.WRONG, Cost.PICTURES, find, mend)
