"""A channel of the layout that is the same everywhere: it can go."""

from collections.abc import Iterator

from evenpalette.core.document.layout_model import LayoutChannel, LayoutFile
from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import file_named, files_of, with_file
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def _is_made(channel: LayoutChannel, attributes: tuple[str, ...]) -> bool:
    kind, _, rest = channel.source.partition(":")
    return kind != "attribute" or rest.partition("@")[0].partition(".")[0].replace("-", "_") in attributes


def find(look: Inspection) -> Iterator[Finding]:
    """Each file that delivers what this recipe does not make."""
    for file in files_of(look.state):
        idle = [c.source.partition(":")[2] for c in file.channels if not _is_made(c, look.state.attributes)]
        if idle:
            yield FINDING.at(
                f"The layout's file {file.name} has {', '.join(idle)}, which this recipe does not make: the same everywhere",
                subject=file.name,
            )


def mend(state: State, finding: Finding) -> Mend | None:
    """Leave the channels out, where another one is left."""
    made = state.attributes
    file = file_named(state, finding.subject)
    if file is None or not any(_is_made(c, made) for c in file.channels):
        return None

    def fewer(file: LayoutFile) -> LayoutFile:
        return file.model_copy(update={"channels": tuple(c for c in file.channels if _is_made(c, made))})

    return "Leave it out", lambda s: with_file(s, finding.subject, fewer)


FINDING = FindingKind("layout-constant", "delivery", 50, Weight.TIDY, Cost.DESCRIPTION, find, mend)
