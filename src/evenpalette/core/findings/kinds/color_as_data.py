"""Color that is read as data: it is drawn too bright."""

from collections.abc import Iterator

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.findings.kinds.data_as_color import read_as_held
from evenpalette.core.raster.raster import Encoding


def find(look: Inspection) -> Iterator[Finding]:
    """Textures whose role is color and whose encoding is not."""
    for texture in look.project.asset.textures:
        if texture.role.encoding is Encoding.SRGB and texture.encoding is Encoding.DATA:
            yield FINDING.at(f"{texture.name} holds color but is read as data", subject=texture.id)


FINDING = FindingKind("color-as-data", "asset", 30, Weight.WRONG, Cost.DESCRIPTION, find, read_as_held)
