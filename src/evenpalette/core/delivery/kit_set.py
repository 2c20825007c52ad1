"""What a kit has once for all its sheets: their list and the mesh that they lie on."""

from pathlib import Path

import numpy as np

from evenpalette.core.delivery.kit_model import KitSet, KitSheet, said_text
from evenpalette.core.delivery.plan import DeliveryPlan
from evenpalette.core.document.state import State
from evenpalette.core.mesh.write_glb import Binary, Part, glb, primitives

MESH_FILE, SET_FILE = "mesh.glb", "kit.json"


def write_kit_set(plan: DeliveryPlan, folder: Path) -> None:
    """Write `kit/kit.json` and, where there is a mesh, `kit/mesh.glb`. Raises OSError."""
    kit = folder / "kit"
    content = mesh_content(plan.state)
    if content:
        (kit / MESH_FILE).write_bytes(content)
    said = KitSet(
        name=plan.state.project.name, mesh=MESH_FILE if content else "",
        sheets=[
            KitSheet(name=sheet.name, folder=planned.place or ".")
            for sheet, planned in zip(plan.state.project.sheets, plan.sheets, strict=True)
        ],
    )  # fmt: skip
    (kit / SET_FILE).write_text(said_text(said), "utf-8")


def parts_of(state: State) -> list[Part]:
    """The faces of each sheet by material group, with `extras`; a sheet of the whole mesh has what no other names."""
    assert state.mesh is not None
    mesh = state.mesh.whole.mesh
    parts = []
    taken = {name for sheet in state.project.sheets for name in sheet.groups or ()}
    for sheet in state.project.sheets:
        for number, name in enumerate(mesh.group_names):
            if name in sheet.groups if sheet.groups is not None else name not in taken:
                faces = np.flatnonzero(mesh.groups == number)
                parts.append(Part(faces, {"group": name, "sheet": sheet.name}))
    return parts


def mesh_content(state: State) -> bytes:
    """The project's mesh as a binary glTF file; nothing without a mesh."""
    if state.mesh is None:
        return b""
    binary = Binary()
    made = primitives(state.mesh.whole.mesh, parts_of(state), binary)
    name = state.project.name
    document = {
        "scene": 0, "scenes": [{"name": name, "nodes": [0]}], "nodes": [{"name": name, "mesh": 0}],
        "meshes": [{"name": name, "primitives": made}],
    }  # fmt: skip
    return glb(document, binary)
