"""Data that is read as color: gamma is applied to what is no color."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.edits import asset
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.raster.raster import Encoding


def find(look: Inspection) -> Iterator[Finding]:
    """Textures whose role is data and whose encoding is not."""
    for texture in look.project.asset.textures:
        if texture.role.encoding is Encoding.DATA and texture.encoding is not Encoding.DATA:
            text = f"{texture.name} holds {texture.role.value} but is read as color"
            yield FINDING.at(text, subject=texture.id)


def read_as_held(state: State, finding: Finding) -> Mend | None:
    """Give the texture the encoding of its role."""
    texture = state.project.asset.texture(finding.subject)
    if texture is None:
        return None
    role = texture.role
    return "Read it as what it holds", lambda s: asset.set_role(s, finding.subject, role)


FINDING = FindingKind("data-as-color", "asset", 10, Weight.WRONG, Cost.DESCRIPTION, find, read_as_held)
