"""Color beside an alpha that programs multiply it by."""

from collections.abc import Iterator

from evenpalette.core.document.layout_model import LayoutChannel, LayoutFile
from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import file_named, files_of, with_file, with_settings
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight

#: Where they are 0 many programs that edit pictures drop the color below: common practice, no source.
_OFTEN_EMPTY = ("region:", "mask:", "constant:0")


def _doubt(file: LayoutFile) -> str:
    """What may become of the color, '' for nothing."""
    alpha = next((c for c in file.channels if "a" in c.to), None)
    if alpha is None or not any(set(c.to) & set("rgb") for c in file.channels if c is not alpha):
        return ""
    # OpenEXR: "Technical Introduction", premultiplied (associated) alpha is what readers expect.
    if file.format == "exr":
        return "readers of OpenEXR take color as multiplied by it"
    if file.format in ("png", "tga", "tiff") and _is_empty(alpha):
        return "where it is 0 many programs drop the color"
    return ""


def _is_empty(alpha: LayoutChannel) -> bool:
    return alpha.source.startswith(_OFTEN_EMPTY) and not (alpha.invert and alpha.source.startswith("constant:0"))


def find(look: Inspection) -> Iterator[Finding]:
    """Each such file."""
    for file in files_of(look.state):
        if doubt := _doubt(file):
            alpha = next(c.source for c in file.channels if "a" in c.to)
            text = f"The layout's file {file.name} has {alpha} in its alpha: {doubt}"
            yield FINDING.at(text, subject=file.name)


def mend(state: State, finding: Finding) -> Mend | None:
    """A format that says that its alpha is straight: floats in TIFF, whole numbers in KTX2."""
    file = file_named(state, finding.subject)
    if file is None:
        return None
    parts: dict[str, object] = {"format": "tiff", "bits": 32} if file.format == "exr" else {"format": "ktx2"}
    name = "TIFF" if file.format == "exr" else "KTX2"
    return f"Write {name}, whose alpha is straight", lambda s: with_file(
        s, finding.subject, lambda f: with_settings(f, **parts)
    )


FINDING = FindingKind("layout-alpha", "delivery", 37, Weight.POOR, Cost.DESCRIPTION, find, mend)
