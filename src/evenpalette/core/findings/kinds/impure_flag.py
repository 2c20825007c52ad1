"""Flag colors of an ID map that are not quite pure."""

from collections.abc import Iterator

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import regions
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.regions.dividing.flags import nearest_pure
from evenpalette.core.regions.sources.flag import FlagSource


def find(look: Inspection) -> Iterator[Finding]:
    """Those of ID maps: a color that was picked from paint is no flag, and need not be pure."""
    maps = {texture.id for texture in look.project.asset.with_role(Role.ID_MAP)}
    for region in look.project.regions.regions:
        source = region.source
        if isinstance(source, FlagSource) and source.texture in maps and nearest_pure(source.color) != source.color:
            r, g, b = parse_hex(source.color)
            text = f"{region.name}: the flag in the image is {r}, {g}, {b}, not quite pure"
            yield FINDING.at(text, region.id, subject=source.texture)


def mend(state: State, finding: Finding) -> Mend | None:
    """Write the ID map with the flags that are meant."""
    if finding.subject not in state.textures:
        return None
    return "Make its flags pure", lambda s: regions.clean_texture(s, finding.subject, 0, False)[0]


FINDING = FindingKind("impure-flag", "regions", 50, Weight.TIDY, Cost.TEXELS, find, mend)
