"""Faces that have no area in the UV layout, so no texture reaches them."""

from collections.abc import Iterator

import numpy as np

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.findings.kinds.bare_sheet import is_bare
from evenpalette.core.mesh.tiles import is_aside


def find(look: Inspection) -> Iterator[Finding]:
    """Such faces, but for those that were laid aside."""
    mesh = look.state.mesh.mesh if look.state.mesh is not None else None
    if mesh is None or mesh.uvs is None or is_bare(look.state):
        return
    empty = (np.abs(mesh.uv_areas()) < 1e-12) & ~is_aside(mesh)
    if empty.any():
        u, v = mesh.uvs[int(empty.argmax())].mean(0) % 1.0
        yield FINDING.at(f"{int(empty.sum()):,} faces have no area in the UV layout", place=(float(u), float(v)))


FINDING = FindingKind("uv-empty", "asset", 60, Weight.WRONG, Cost.PICTURES, find)
