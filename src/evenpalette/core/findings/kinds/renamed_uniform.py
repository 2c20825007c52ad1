"""A parameter that was delivered under another name: a game's code may hold the old one."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.edits.delivered import as_delivered, renamed
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def find(look: Inspection) -> Iterator[Finding]:
    """Each that is called otherwise by now, or is gone."""
    for key, (old, new) in renamed(look.state).items():
        parameter = look.state.project.recipe.parameter(key)
        if parameter is None:
            yield FINDING.at(f"The uniform {old} was delivered and is not there any more", subject=key)
        else:
            text = f"{parameter.name} was delivered as {old} and is {new} now: a game's code may hold the old name"
            yield FINDING.at(text, subject=key)


def mend(state: State, finding: Finding) -> Mend | None:
    """Call it as it was called, where that name is free."""
    old = renamed(state).get(finding.subject, ("", ""))[0]
    called = as_delivered(state, finding.subject)
    return (f"Call it {old} again", lambda s: as_delivered(s, finding.subject) or s) if called is not None else None


FINDING = FindingKind("renamed-uniform", "delivery", 20, Weight.POOR, Cost.DESCRIPTION, find, mend)
