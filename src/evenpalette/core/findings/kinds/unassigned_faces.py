"""Faces that are in no region of a division."""

from collections.abc import Iterator

import numpy as np

from evenpalette.core.document.state import State
from evenpalette.core.edits import face_sets
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.mesh.tiles import is_aside
from evenpalette.core.regions.sources.faces import unassigned


def find(look: Inspection) -> Iterator[Finding]:
    """Only where a division is of faces alone: with an image among its sources the gap says it better."""
    mesh = look.state.mesh.mesh if look.state.mesh is not None else None
    if mesh is None or mesh.uvs is None:
        return
    for division in look.divisions:
        regions = division.division.regions
        if not all(region.source.of_faces for region in regions):
            continue
        free = np.flatnonzero(unassigned(regions, mesh.face_count) & ~is_aside(mesh))
        if len(free):
            u, v = mesh.uvs[free[len(free) // 2]].mean(0)
            text = f"{len(free):,} faces are in no region{division.called}"
            yield FINDING.at(text, place=(float(u), float(v)), subject=division.division.id)


def mend(_: State, finding: Finding) -> Mend:
    """Put them into a region of their own."""

    def edit(s: State) -> State:
        division = s.project.regions.division(finding.subject) or s.project.regions.divisions[0]
        assert s.mesh is not None
        free = unassigned(division.regions, s.mesh.mesh.face_count)
        return face_sets.assign_faces(s, free, None, division.id)

    return "Make a region of them", edit


FINDING = FindingKind("unassigned-faces", "regions", 10, Weight.WRONG, Cost.TEXELS, find, mend)
