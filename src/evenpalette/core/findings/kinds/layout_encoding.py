"""A file of the layout that stores color as plain numbers in few bits, or data on the curve of color."""

from collections.abc import Iterator

from evenpalette.core.document.layout_model import LayoutFile
from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import files_of, with_file
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.recipe.attributes import ATTRIBUTES, Holds

_DATA = ("region", "id", "tone", "mask", "index")


def _kind(source: str) -> str:
    """'color', 'data' or '' where it cannot be told from the words."""
    kind, _, rest = source.partition(":")
    if kind in _DATA:
        return "data"
    if kind == "attribute":
        key = rest.partition("@")[0].partition(".")[0].replace("-", "_")
        if key in ATTRIBUTES:
            return "color" if ATTRIBUTES[key].holds in (Holds.COLOR, Holds.LIGHT) else "data"
    return ""


def find(look: Inspection) -> Iterator[Finding]:
    """Each file with such a channel."""
    for file in files_of(look.state):
        wrong = [c for c in file.channels if c.encode == "srgb" and _kind(c.source) == "data"]
        poor = [
            c
            for c in file.channels
            if c.encode == "data" and _kind(c.source) == "color" and file.bits == 8 and file.format != "exr"
        ]
        if wrong:
            yield FINDING.at(
                f"The layout's file {file.name} stores {wrong[0].source} as sRGB, which squeezes data",
                subject=file.name,
            )
        elif poor:
            yield FINDING.at(
                f"The layout's file {file.name} stores {poor[0].source} without sRGB in 8 bits: its darks show steps",
                subject=file.name,
            )


def mend(state: State, finding: Finding) -> Mend | None:
    """Store color as sRGB and data as it is."""

    def plain(file: LayoutFile) -> LayoutFile:
        channels = tuple(c.model_copy(update={"encode": None}) if _kind(c.source) else c for c in file.channels)
        return file.model_copy(update={"channels": channels})

    return "Encode as it is used", lambda s: with_file(s, finding.subject, plain)


FINDING = FindingKind("layout-encoding", "delivery", 30, Weight.WRONG, Cost.DESCRIPTION, find, mend)
