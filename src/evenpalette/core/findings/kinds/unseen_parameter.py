"""Parameters that are read and change nothing in any variant."""

from collections.abc import Iterator

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.variants.reach import reach_of, unseen

#: Texels a side on which it is looked whether a parameter changes anything.
_SIDE = 64


def find(look: Inspection) -> Iterator[Finding]:
    """Each of them, with the first reason."""
    state = look.state
    if not state.coverages:
        return
    here = unseen(state, (None, *(v.id for v in look.project.variants)), _SIDE)
    for parameter in look.project.parameters:
        if parameter.id in here and look.project.users(parameter.id):
            reason = reach_of(state, parameter.id, None, side=_SIDE).reasons[0]
            text = f"{parameter.name} changes nothing in any variant. {reason.text}"
            yield FINDING.at(text, reason.region, subject=reason.step or parameter.id)


FINDING = FindingKind("unseen-parameter", "recipe", 90, Weight.TIDY, Cost.PICTURES, find)
