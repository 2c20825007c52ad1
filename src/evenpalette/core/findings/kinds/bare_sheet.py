"""A mesh that has none of the parts of the sheet."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight


def find(look: Inspection) -> Iterator[Finding]:
    """The sheet that is looked at, where its material groups are not those of the mesh."""
    state, sheet = look.state, look.state.sheet
    if is_bare(state):
        assert state.mesh is not None
        text = (
            f"{state.mesh.mesh.name} has none of the parts of the sheet {sheet.name}; "
            "Parts ... at Asset says which lie on it"
        )
        yield FINDING.at(text, subject=sheet.id)


def is_bare(state: State) -> bool:
    """Whether nothing of the mesh lies on the state's sheet."""
    groups = state.sheet.groups
    return state.mesh is not None and groups is not None and not set(groups) & set(state.mesh.whole.mesh.group_names)


FINDING = FindingKind("bare-sheet", "asset", 40, Weight.WRONG, Cost.DESCRIPTION, find)
