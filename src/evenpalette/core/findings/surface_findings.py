"""What can be wrong with how the regions lie on the texels: specks, strips, seams, islands that bleed, shared
texels."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.document.state import State
from evenpalette.core.edits.face_sets import face_region_labels
from evenpalette.core.finding import Finding
from evenpalette.core.findings.ranking import listed
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.regions.checks.gaps import held_by, spot
from evenpalette.core.regions.checks.seams import lost_at_seams, near_islands
from evenpalette.core.regions.checks.specks import SMALLEST_TEXELS, find_specks, thin_strips
from evenpalette.core.regions.model import Division
from evenpalette.core.regions.owners import owners

#: More pieces than this are a grain that was painted or made on purpose: common practice, no source.
_GRAIN = 200
#: Islands closer than this bleed into each other early, whatever padding was asked for: common practice, no source.
_MOST_PADDING = 16


def find_on_surface(state: State, division: Division | None = None) -> list[Finding]:
    """The findings of a division that need every texel; they depend on coverages, regions and mesh only."""
    division = division or state.project.regions.divisions[0]
    planes = [state.coverages[region.id] for region in division.regions if region.id in state.coverages]
    if not planes or len(planes) != len(division.regions):
        return []
    owner = owners(planes, 1)
    texels = state.mesh.texels((owner.shape[0], owner.shape[1])) if state.mesh is not None else None
    used = texels.keep("used", lambda: texels.faces >= 0) if texels is not None else np.ones(owner.shape, bool)
    # Where three regions meet softly none has half of the texel, and still it is not empty.
    owner[held_by({str(n): plane for n, plane in enumerate(planes)}, used).total < 128] = -1
    specks = find_specks(owner, used, SMALLEST_TEXELS)
    grainy = specks.any() and spot(specks)[1] > _GRAIN
    labels = face_region_labels(state, division)
    shared = texels.shared_by_labels(labels) if texels is not None and (labels >= 0).any() else None
    found = [*(() if grainy else (*_specks(division, owner, specks), *_strips(division, owner, used)))]
    if shared is not None and int(shared.sum()) > 4:
        # Seams that differ and islands that touch are what this looks like from elsewhere.
        return [*found, _shared_texels(shared)]
    if texels is not None:
        found += [*_islands(state, division, owner, texels), *_seams(state, division, labels)]
    return found


def _specks(division: Division, owner: NDArray[np.int16], found: NDArray[np.bool_]) -> Iterator[Finding]:
    if found.any():
        place, pieces = spot(found)
        what = "1 speck or hole" if pieces == 1 else f"{pieces:,} specks or holes"
        column, row = int(place[0] * owner.shape[1]), int(place[1] * owner.shape[0])
        index = int(owner[row, column])
        region = division.regions[index].id if index >= 0 else ""
        yield Finding("speck", "regions", f"{what} of fewer than {SMALLEST_TEXELS} texels", region, place)


def _strips(division: Division, owner: NDArray[np.int16], used: NDArray[np.bool_]) -> Iterator[Finding]:
    strips = thin_strips(owner, used)
    if int(strips.max()) < 0:
        return
    held = [(region, count) for index, region in enumerate(division.regions) if (count := int((strips == index).sum()))]
    held.sort(key=lambda pair: -pair[1])
    worst = held[0][0]
    text = f"{listed([region.name for region, _ in held])}: {sum(count for _, count in held):,} texels in strips one texel wide, too few for an edge"
    yield Finding("thin", "regions", text, worst.id, spot(strips == division.regions.index(worst))[0])


def _islands(state: State, division: Division, owner: NDArray[np.int16], texels: Texels) -> Iterator[Finding]:
    wanted = min(state.project.regions.bake.padding_texels, _MOST_PADDING)
    near = near_islands(owner, texels, wanted)
    if near is not None:
        one, other = (division.regions[i].name for i in near.regions)
        text = (
            f"Islands of {one} and {other} are {near.gap_texels:.0f} texel{'' if round(near.gap_texels) == 1 else 's'} apart, closer than {wanted} of padding: "
            f"their colors mix from mip level {near.mip_level} on"
        )
        yield Finding("near-islands", "regions", text, division.regions[near.regions[0]].id, near.place)


def _seams(state: State, division: Division, labels: NDArray[np.int32]) -> Iterator[Finding]:
    assert state.mesh is not None
    names = {region.id: region.name for region in division.regions}
    found = lost_at_seams(
        state.mesh.mesh,
        state.mesh.topology,
        {r: state.coverages[r] for r in names},
        labels if (labels >= 0).any() else None,
    )
    for seam in found[:3]:
        text = (
            f"{names[seam.region]} is lost across a seam: it differs on both sides along {seam.part:.1%} of all seams"
        )
        yield Finding("seam", "regions", text, seam.region, seam.place)


def _shared_texels(shared: NDArray[np.bool_]) -> Finding:
    """Faces of different regions on the same texels: one of them gets the other's coverage."""
    text = (
        f"{int(shared.sum()):,} texels lie under faces of different regions (overlapping UVs). "
        "Give those faces one region, or lay their islands apart"
    )
    return Finding("shared-texels", "regions", text, "", spot(shared)[0])
