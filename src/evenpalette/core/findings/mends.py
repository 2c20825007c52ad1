"""What can be mended with one click: for a finding, a sentence and an edit."""

from collections.abc import Callable, Iterable

import numpy as np

from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset, face_sets, links, recipe, regions
from evenpalette.core.edits.painting import is_paintable, locked_cover, with_painted
from evenpalette.core.edits.refining import add_operation
from evenpalette.core.finding import Finding
from evenpalette.core.findings.bleed_findings import without_bleeding
from evenpalette.core.mesh.tiles import FIRST, WRAP, in_tile, tiles_of
from evenpalette.core.regions.checks.seams import SeamSamples
from evenpalette.core.regions.checks.specks import SMALLEST_TEXELS, despeckle
from evenpalette.core.regions.model import Division, FlagSource, Overlap, PaintedSource, Region
from evenpalette.core.regions.owners import give_gaps
from evenpalette.core.regions.painting.carry import carried_over
from evenpalette.core.regions.painting.surface import PaintSurface
from evenpalette.core.regions.sources.face_runs import unassigned
from evenpalette.core.regions.sources.flags import next_flag

Edit = Callable[[State], State]
Mend = tuple[str, Edit]


def mend_for(state: State, finding: Finding) -> Mend | None:
    """The label of the mend and the edit that does it, or None where only the artist can decide."""
    make = _MENDS.get(finding.code)
    return make(state, finding) if make is not None else None


def _encoding(state: State, finding: Finding) -> Mend | None:
    texture = state.project.asset.texture(finding.subject)
    if texture is None:
        return None
    role = texture.role
    return "Read it as what it holds", lambda s: asset.set_role(s, finding.subject, role)


def _as_normal(_: State, finding: Finding) -> Mend:
    return "Take it as a normal map", lambda s: asset.set_role(s, finding.subject, Role.NORMAL)


def _outside(state: State, _: Finding) -> Mend | None:
    """Few faces outside: whole islands are wrapped, as a repeating texture shows them; strays are left out."""
    if state.mesh is None or state.mesh.mesh.tile:
        return None
    mesh = state.mesh.mesh
    tiles = tiles_of(mesh)
    if tiles.get(FIRST, 0) < 0.5 * sum(tiles.values()) or len(tiles) < 2:
        return None
    wrapped = in_tile(mesh, WRAP).uvs
    if wrapped is not None and wrapped.min() > -1e-4 and wrapped.max() < 1 + 1e-4:
        return "Wrap them into the tile", lambda s: asset.set_tile(s, WRAP)
    return "Leave them out of the textures", lambda s: asset.set_tile(s, FIRST)


def _impure(state: State, finding: Finding) -> Mend | None:
    if finding.subject not in state.textures:
        return None
    return "Make its flags pure", lambda s: regions.clean_texture(s, finding.subject, 0, False)[0]


def _id_maps(regions: Iterable[Region]) -> list[str]:
    sources = [region.source for region in regions]
    return list(dict.fromkeys(source.texture for source in sources if isinstance(source, FlagSource)))


def _gap(state: State, finding: Finding) -> Mend | None:
    division = state.project.regions.division(finding.subject) or state.project.regions.divisions[0]
    maps = _id_maps(division.regions)
    if maps:
        return "Give gaps to the nearest region", lambda s: regions.clean_texture(s, maps[0], 0, True)[0]
    if any(is_paintable(region) for region in division.regions):
        return "Give gaps to the nearest painted region", lambda s: _fill_painted(s, division)
    return None


def _fill_painted(state: State, division: Division) -> State:
    paintable = [r.id for r in division.regions if is_paintable(r)]
    others = [state.coverages[r.id] for r in division.regions if r.id not in paintable]
    planes = give_gaps([state.coverages[r] for r in paintable], others, state.used)
    return with_painted(state, dict(zip(paintable, planes, strict=True)))


def _unassigned(state: State, finding: Finding) -> Mend | None:
    def edit(s: State) -> State:
        division = s.project.regions.division(finding.subject) or s.project.regions.divisions[0]
        assert s.mesh is not None
        free = unassigned(division.regions, s.mesh.mesh.face_count)
        return face_sets.assign_faces(s, free, None, division.id)

    return "Make a region of them", edit


def _overlap(_: State, finding: Finding) -> Mend | None:
    return "Let later regions cover earlier ones", lambda s: regions.set_overlap(s, Overlap.LAYERED, finding.subject)


def _empty(_: State, finding: Finding) -> Mend | None:
    return "Remove the region", lambda s: regions.remove_region(s, finding.region)


def _same_name(state: State, finding: Finding) -> Mend | None:
    region = state.project.regions.find(finding.region)
    if region is None:
        return None
    name = region.name
    return "Number its name", lambda s: regions.update_region(
        s, finding.region, name=regions.free_region_name(list(s.project.regions.regions), name)
    )


def _same_flag(_: State, finding: Finding) -> Mend | None:
    return "Take the next free flag", lambda s: regions.update_region(
        s, finding.region, flag=next_flag([r.flag for r in s.project.regions.regions])
    )


def _specks(state: State, _: Finding) -> Mend | None:
    return "Take specks out, fill holes", _without_specks


def _without_specks(state: State) -> State:
    """ID maps are cleaned; painted regions mended as they are; all others get an operation."""
    for texture in _id_maps(state.project.regions.regions):
        state = regions.clean_texture(state, texture, SMALLEST_TEXELS, False)[0]
    painted = {}
    for region in state.project.regions.regions:
        if isinstance(region.source, PaintedSource) and is_paintable(region):
            plane = state.coverages[region.id].astype(np.float32) / np.float32(255)
            painted[region.id] = np.rint(despeckle(plane, SMALLEST_TEXELS) * 255).astype(np.uint8)
    state = with_painted(state, painted) if painted else state
    for region in state.project.regions.regions:
        has_one = any(operation.kind == "despeckle" for operation in region.operations)
        if not has_one and region.id not in painted and not isinstance(region.source, FlagSource):
            state = add_operation(state, region.id, "despeckle")
    return state


def _seam(state: State, finding: Finding) -> Mend | None:
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
    samples = SeamSamples(texels.mesh, texels.topology, max(shape), face_sets.face_region_labels(state, division))
    return with_painted(state, carried_over(planes, region, PaintSurface(texels), samples, locked_cover(state, region)))


def _bleeding(state: State, finding: Finding) -> Mend | None:
    raster = state.textures.get(finding.subject)
    if raster is None:
        return None
    used = state.used_at(raster.size)
    return "Carry the colors beyond the islands", lambda s: asset.replace_texture(
        s, finding.subject, without_bleeding(raster, used)
    )


def _unused_parameter(_: State, finding: Finding) -> Mend | None:
    return "Remove the parameter", lambda s: recipe.remove_parameter(s, finding.subject)


def _take_link(_: State, finding: Finding) -> Mend | None:
    return "Take the changes", lambda s: links.take_changes(s, [finding.subject])


def _lost_link(_: State, finding: Finding) -> Mend | None:
    return "Detach the step", lambda s: links.detach(s, finding.subject)


_MENDS: dict[str, Callable[[State, Finding], Mend | None]] = {
    "looks-like-normal": _as_normal,
    "data-as-color": _encoding, "color-as-data": _encoding, "uv-outside": _outside, "impure-flag": _impure, "gap": _gap,
    "unassigned-faces": _unassigned, "overlap": _overlap, "empty": _empty, "same-name": _same_name,
    "same-flag": _same_flag, "speck": _specks, "seam": _seam, "unused-parameter": _unused_parameter,
    "link-changed": _take_link, "bleeding-color": _bleeding, "link-lost": _lost_link,
}  # fmt: skip
