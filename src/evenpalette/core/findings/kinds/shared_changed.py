"""Values that follow a shared one which is another by now."""

from collections.abc import Iterator
from pathlib import Path

from evenpalette.core.collection.shared import SharedChange, changes_of, take
from evenpalette.core.document.state import State
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def find(look: Inspection) -> Iterator[Finding]:
    """Each of them; those that are set otherwise here are named too, as they stay."""
    for change in changes_of(look.state, look.may_read):
        if change.problem:
            continue
        where = name_of(look.state, change)
        stays = f"; here it is {change.before} and stays" if change.is_own else ""
        text = f"{where} follows {change.name} of {Path(change.follow.path).name}, which is {change.after} now{stays}"
        yield FINDING.at(text, subject=key_of(change))


def key_of(change: SharedChange) -> str:
    """What a followed value is known by."""
    return f"{change.follow.parameter} {change.follow.variant or ''}".strip()


def name_of(state: State, change: SharedChange) -> str:
    """The parameter, and the variant, that follow."""
    parameter = state.project.recipe.parameter(change.follow.parameter)
    variant = next((v.name for v in state.project.variants if v.id == change.follow.variant), "")
    name = parameter.name if parameter is not None else change.follow.parameter
    return f"{name} of {variant}" if variant else name


def mend(state: State, finding: Finding) -> Mend | None:
    """Take it."""
    change = next((c for c in changes_of(state, lambda _: True) if key_of(c) == finding.subject), None)
    if change is None or change.is_own:
        return None
    return f"Take {change.after}", lambda s: take(s, [change])


FINDING = FindingKind("shared-changed", "variants", 30, Weight.TIDY, Cost.PICTURES, find, mend)
