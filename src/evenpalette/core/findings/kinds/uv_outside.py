"""Faces whose UVs lie outside the tile that textures are painted on."""

from collections.abc import Iterator

import numpy as np

from evenpalette.core.document.state import State
from evenpalette.core.edits import asset
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.findings.kinds.bare_sheet import is_bare
from evenpalette.core.mesh.tiles import FIRST, WRAP, in_tile


def find(look: Inspection) -> Iterator[Finding]:
    """Faces outside the tile, or across its border; none where another tile was chosen on purpose."""
    mesh = look.state.mesh.mesh if look.state.mesh is not None else None
    if mesh is None or mesh.uvs is None or is_bare(look.state):
        return
    outside = ((mesh.uvs < -1e-4) | (mesh.uvs > 1 + 1e-4)).any((1, 2)) & (np.abs(mesh.uv_areas()) > 1e-12)
    if outside.any() and mesh.tile in ("", WRAP):
        what = "have UVs outside the tile" if not mesh.tile else "cross the border of the tile"
        u, v = mesh.uvs[int(outside.argmax())].mean(0) % 1.0
        yield FINDING.at(f"{int(outside.sum()):,} faces {what}", place=(float(u), float(v)))


def mend(state: State, _: Finding) -> Mend | None:
    """Few faces outside: whole islands are wrapped, as a repeating texture shows them; strays are left out."""
    if state.mesh is None or state.mesh.mesh.tile:
        return None
    mesh = state.mesh.mesh
    tiles = state.mesh.tiles
    if tiles.get(FIRST, 0) < 0.5 * sum(tiles.values()) or len(tiles) < 2:
        return None
    wrapped = in_tile(mesh, WRAP).uvs
    if wrapped is not None and wrapped.min() > -1e-4 and wrapped.max() < 1 + 1e-4:
        return "Wrap them into the tile", lambda s: asset.set_tile(s, WRAP)
    return "Leave them out of the textures", lambda s: asset.set_tile(s, FIRST)


FINDING = FindingKind("uv-outside", "asset", 50, Weight.WRONG, Cost.PICTURES, find, mend)
