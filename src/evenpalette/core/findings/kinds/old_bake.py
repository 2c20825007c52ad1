"""Bakes of what is no longer so: of another mesh, other settings, another lamp."""

from collections.abc import Iterator
from pathlib import Path

from evenpalette.core.document.state import State
from evenpalette.core.edits.bakes import make_bake, outdated, with_made
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def find(look: Inspection) -> Iterator[Finding]:
    """Each of them; of a finer mesh that is gone it is said so."""
    for texture in outdated(look.state):
        assert texture.bake is not None
        lost = [path for path in (texture.bake.finer, texture.bake.cage) if path and not Path(path).is_file()]
        if lost:
            text = f"{texture.name} is baked from {Path(lost[0]).name}, which is no longer where it was"
        elif texture.bake.read:
            text = f"{texture.name} was baked of what is no longer so"
        else:
            text = f"{texture.name} has not been baked yet"
        yield FINDING.at(text, subject=texture.id)


def mend(_: State, finding: Finding) -> Mend:
    """Bake it now."""
    return "Bake it", lambda s: with_made(s, finding.subject, make_bake(s, finding.subject))


FINDING = FindingKind("old-bake", "asset", 70, Weight.POOR, Cost.PICTURES, find, mend)
