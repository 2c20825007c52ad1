"""ID: a flag for each material group, of the mesh or of a finer one."""

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from evenpalette.core.baking.kind import Around, BakeKind, known
from evenpalette.core.baking.openness import Estimate
from evenpalette.core.color.flag_plan import plan_flags
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.mesh.topology import find_topology
from evenpalette.core.values import Input, ValueType


def make(around: Around, values: Mapping[str, Any]) -> Iterator[Estimate]:
    """The flag of the group or the piece under each place, as stored codes over 255; nothing is blended."""
    mesh = around.mesh
    labels = mesh.groups if values["by"] == "Material group" else find_topology(mesh).shells
    flags = np.array([parse_hex(flag) for flag in plan_flags(int(labels.max()) + 1).flags], np.float32) / 255
    return known(flags[labels[around.points.faces]])


BAKE = BakeKind(
    "id", "ID map", "A flag for each material group or piece, of this mesh or of a finer one",
    (Input("by", "A flag for each", ValueType.CHOICE, "Material group", choices=("Material group", "Piece of mesh")),),
    make, channels=3, role="ID map", order=95, source="common practice", words="material mask flags",
)  # fmt: skip
