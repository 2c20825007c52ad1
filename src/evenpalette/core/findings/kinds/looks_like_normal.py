"""A texture of unit vectors that is taken for something else."""

from collections.abc import Iterator

from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset
from evenpalette.core.edits.guess import contradiction
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def find(look: Inspection) -> Iterator[Finding]:
    """Textures whose texels contradict their role."""
    for texture in look.project.asset.textures:
        raster = look.state.textures.get(texture.id)
        if raster is not None and contradiction(texture.role, raster) is not None:
            text = f"{texture.name} holds unit vectors, so it is a normal map; it is taken for {texture.role.value}"
            yield FINDING.at(text, subject=texture.id)


def mend(_: State, finding: Finding) -> Mend:
    """Take it as what it looks like."""
    return "Take it as a normal map", lambda s: asset.set_role(s, finding.subject, Role.NORMAL)


FINDING = FindingKind("looks-like-normal", "asset", 20, Weight.WRONG, Cost.PICTURES, find, mend)
