"""A kit that reads more textures at once than every device has."""

from collections.abc import Iterator

from evenpalette.core.document.kit_text import kit_text
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight

#: Textures that a fragment shader can read on any device (OpenGL ES 3.0, MAX_TEXTURE_IMAGE_UNITS).
MOST_SAMPLERS = 16


def find(look: Inspection) -> Iterator[Finding]:
    """Where the kit of the state's sheet asks for too many."""
    try:
        samplers = len(kit_text(look.state).samplers)
    except EvenPaletteError:
        return
    if samplers > MOST_SAMPLERS:
        yield FINDING.at(
            f"The kit reads {samplers} textures at once; {MOST_SAMPLERS} is what every device has. "
            "Use fewer regions, or put masks into the channels of one texture"
        )


FINDING = FindingKind("many-samplers", "delivery", 20, Weight.WRONG, Cost.DESCRIPTION, find)
