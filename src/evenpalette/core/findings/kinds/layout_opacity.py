"""Opacity in a file of the layout, on a sheet that says it is opaque."""

from collections.abc import Iterator

from evenpalette.core.document.layout_model import LayoutChannel, LayoutFile
from evenpalette.core.document.project import OpacityUse
from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import file_named, files_of, with_file
from evenpalette.core.edits.recipe import set_opacity_use
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def _is_opacity(channel: LayoutChannel) -> bool:
    return channel.source.partition("@")[0] == "attribute:opacity"


def find(look: Inspection) -> Iterator[Finding]:
    """Each file that has it."""
    if look.state.sheet.opacity is not OpacityUse.OPAQUE or "opacity" not in look.state.attributes:
        return
    for file in files_of(look.state):
        if any(_is_opacity(c) for c in file.channels):
            text = f"The layout's file {file.name} has opacity, but the sheet is opaque: nobody reads it"
            yield FINDING.at(text, subject=file.name)


def mend(state: State, finding: Finding) -> Mend | None:
    """Leave it out; where nothing else is in the file, the sheet is cut out by it."""
    file = file_named(state, finding.subject)
    if file is None:
        return None
    if all(_is_opacity(c) for c in file.channels):
        return "Cut out by it", lambda s: set_opacity_use(s, OpacityUse.CUT_OUT)

    def fewer(file: LayoutFile) -> LayoutFile:
        return file.model_copy(update={"channels": tuple(c for c in file.channels if not _is_opacity(c))})

    return "Leave it out", lambda s: with_file(s, finding.subject, fewer)


FINDING = FindingKind("layout-opacity", "delivery", 45, Weight.TIDY, Cost.DESCRIPTION, find, mend)
