"""Coverages that differ on both sides of a seam of the UV layout."""

from collections.abc import Iterator
from itertools import groupby

from evenpalette.core.document.state import State
from evenpalette.core.edits import face_sets
from evenpalette.core.edits.painting import is_paintable, locked_cover, with_painted
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.names import listed
from evenpalette.core.regions.checks.seams import SeamSamples, lost_at_seams
from evenpalette.core.regions.painting.carry import carried_over
from evenpalette.core.regions.painting.surface import PaintSurface


def find(look: Inspection) -> Iterator[Finding]:
    """The regions that are lost most, those that meet at one seam together; none where texels are shared, which looks
    like it from here."""
    for division in look.whole_divisions:
        texels, labels = division.texels, division.face_labels
        if texels is None or division.shared is not None:
            continue
        names = {region.id: region.name for region in division.division.regions}
        found = lost_at_seams(texels.mesh, texels.topology, division.planes, labels if (labels >= 0).any() else None)
        for part, seams in groupby(found[:3], key=lambda seam: f"{seam.part:.1%}"):
            held = list(seams)
            is_lost, differs = ("is lost", "it differs") if len(held) == 1 else ("are lost", "they differ")
            called = listed([names[seam.region] for seam in held])
            text = f"{called} {is_lost} across a seam: {differs} on both sides along {part} of all seams"
            yield FINDING.at(text, held[0].region, held[0].place)


def mend(state: State, finding: Finding) -> Mend | None:
    """Carry paint a little way onto the other side."""
    if state.mesh is None or not is_paintable(state.project.regions.find(finding.region)):
        return None
    return "Carry the paint over the seam", lambda s: _carry(s, finding.region)


def _carry(state: State, region: str) -> State:
    shape = state.coverages[region].shape
    texels = state.mesh.texels((shape[0], shape[1])) if state.mesh is not None else None
    assert texels is not None
    division = state.project.regions.division_of(region)
    paintable = [r.id for r in division.regions if is_paintable(r)]
    planes = {key: state.coverages[key] for key in paintable}
    labels = face_sets.face_region_labels(state, division)
    samples = SeamSamples(texels.mesh, texels.topology, max(shape), labels)
    return with_painted(state, carried_over(planes, region, PaintSurface(texels), samples, locked_cover(state, region)))


FINDING = FindingKind("seam", "regions", 120, Weight.POOR, Cost.TEXELS, find, mend)
