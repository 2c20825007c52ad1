"""A normal of the layout whose green points the other way than that of the mesh's file, or of another file."""

from collections.abc import Iterator

from evenpalette.core.document.layout_model import LayoutChannel, LayoutFile
from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import files_of, with_file
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight

#: Formats whose specification has green up (glTF 2.0, section 3.9.3: "+Y up").
_GREEN_UP = (".glb", ".gltf")


def _is_normal(channel: LayoutChannel) -> bool:
    return channel.source.partition("@")[0].partition(".")[0] == "attribute:normal"


def find(look: Inspection) -> Iterator[Finding]:
    """Each file that has green down where it is to be up."""
    mesh = look.state.project.asset.mesh
    normals = [(f, c) for f in files_of(look.state) for c in f.channels if _is_normal(c)]
    is_up = mesh is not None and mesh.source_path.lower().endswith(_GREEN_UP)
    differ = len({c.green for _, c in normals}) > 1
    for file, channel in normals:
        if channel.green == "down" and (is_up or differ):
            why = "the mesh's file has it up" if is_up else "another file has it up"
            yield FINDING.at(f"The layout's file {file.name} has a normal with green down; {why}", subject=file.name)


def mend(state: State, finding: Finding) -> Mend | None:
    """Turn it up."""

    def turned(file: LayoutFile) -> LayoutFile:
        channels = tuple(c.model_copy(update={"green": "up"}) if _is_normal(c) else c for c in file.channels)
        return file.model_copy(update={"channels": channels})

    return "Green up", lambda s: with_file(s, finding.subject, turned)


FINDING = FindingKind("layout-normal", "delivery", 32, Weight.WRONG, Cost.DESCRIPTION, find, mend)
