"""Mip levels without padding: the smaller ones mix in what lies in the gutters."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import files_of, with_file
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight

#: Texels that keep four levels clean, 2 to the fourth: common practice, no source.
ENOUGH = 16


def find(look: Inspection) -> Iterator[Finding]:
    """Each file with levels and fewer texels around its islands."""
    for file in files_of(look.state):
        padding = file.padding if isinstance(file.padding, int) else 0
        if file.mips and padding < ENOUGH:
            said = f"only {padding} texels of padding" if padding else "no padding"
            yield FINDING.at(
                f"The layout's file {file.name} has mip levels and {said}: smaller ones mix in the gutters",
                subject=file.name,
            )


def mend(state: State, finding: Finding) -> Mend | None:
    """Pad it."""
    return f"Pad {ENOUGH} texels", lambda s: with_file(
        s, finding.subject, lambda f: f.model_copy(update={"padding": ENOUGH})
    )


FINDING = FindingKind("layout-padding", "delivery", 40, Weight.TIDY, Cost.DESCRIPTION, find, mend)
