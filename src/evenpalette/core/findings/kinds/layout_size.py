"""A size of the layout that blocks of four texels, or the sources, do not divide."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import files_of, with_file
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def find(look: Inspection) -> Iterator[Finding]:
    """Each file of a size in texels that is no multiple of four, where it is compressed or has levels."""
    for file in files_of(look.state):
        if isinstance(file.size, int) and file.size % 4 and (file.compression != "none" or file.mips):
            yield FINDING.at(
                f"The layout's file {file.name} is {file.size} texels wide: blocks are four by four", subject=file.name
            )


def mend(state: State, finding: Finding) -> Mend | None:
    """The next power of two."""

    def wide(size: object) -> int:
        return 1 << max(2, (int(size) - 1).bit_length()) if isinstance(size, int) else 4

    return "Take the next power of two", lambda s: with_file(
        s, finding.subject, lambda f: f.model_copy(update={"size": wide(f.size)})
    )


FINDING = FindingKind("layout-size", "delivery", 35, Weight.POOR, Cost.DESCRIPTION, find, mend)
