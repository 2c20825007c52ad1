"""Regions that are sets of faces: assigning, sharing out by chance, baking, planning flags."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.flag_plan import MAX_FLAGS
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State, new_id
from evenpalette.core.edits.regions import Into, free_region_name, prepared, put_regions, with_regions
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.select import SAME_COLOR
from evenpalette.core.mesh.tiles import is_aside
from evenpalette.core.mesh.topology import find_topology
from evenpalette.core.regions.dividing.face_runs import from_runs, to_runs
from evenpalette.core.regions.dividing.flags import next_flag
from evenpalette.core.regions.dividing.mesh_sources import mesh_labels, near_shells
from evenpalette.core.regions.dividing.random_shares import alike_neighbors, reached_shares, share_out
from evenpalette.core.regions.dividing.transfer import Transfer, transfer_labels
from evenpalette.core.regions.region_set import Division, Region
from evenpalette.core.regions.source import BakeSettings
from evenpalette.core.regions.sources.faces import FacesSource


def face_region_labels(state: State, division: Division | None = None) -> NDArray[np.int32]:
    """For each face the index of its region in the whole set, int32 (F,); -1 where no face region of the division has
    it.

    division: None is the first one that has face regions.
    """
    if state.mesh is None:
        return np.empty(0, np.int32)
    labels = np.full(state.mesh.mesh.face_count, -1, np.int32)
    if division is None:
        divisions = state.project.regions.divisions
        made_of_faces = (d for d in divisions if any(r.source.of_faces for r in d.regions))
        division = next(made_of_faces, divisions[0])
    inside = {region.id for region in division.regions}
    for index, region in enumerate(state.project.regions.regions):
        if isinstance(region.source, FacesSource) and region.id in inside:
            labels[from_runs(region.source.runs, len(labels))] = index
    return labels


def assign_faces(state: State, chosen: NDArray[np.bool_], region_id: str | None, division: str | None = None) -> State:
    """Give the chosen faces to a face region, or to a new one of a division with the next flag; other face regions of
    that division lose them.

    Raises RegionError when nothing is chosen, there is no mesh, or the region is made from an image.
    """
    if state.mesh is None or not chosen.any():
        raise RegionError("Select some faces first.")
    regions = list(state.project.regions.regions)
    target = state.project.regions.find(region_id or "")
    if target is not None and not target.source.of_faces:
        raise RegionError(f"{target.name} is made from an image. Assign the faces to a new region.")
    if target is None:
        flag = next_flag([region.flag for region in regions])
        target = Region(id=new_id("region"), name=free_region_name(regions), flag=flag, source=FacesSource())
        regions.append(target)
        home = state.project.regions.division(division) or state.project.regions.divisions[0]
    else:
        home = state.project.regions.division_of(target.id)
    within = {target.id, *(region.id for region in home.regions)}
    changed = []
    for region in regions:
        if isinstance(region.source, FacesSource) and region.id in within:
            own = from_runs(region.source.runs, len(chosen))
            own = own | chosen if region.id == target.id else own & ~chosen
            region = region.model_copy(update={"source": FacesSource(runs=to_runs(own))})
        changed.append(region)
    return put_regions(state, changed, home.id)


def regions_from_labels(state: State, labels: NDArray[np.int32], names: list[str], into: Into | None = None) -> State:
    """A region for each label 0.. (faces with -1 stay unassigned), with planned flags.

    into: None replaces the face regions of the first division. Raises RegionError for more than 64 labels.
    """
    state, division = prepared(state, into)
    first = {r.id for r in state.project.regions.divisions[0].regions} if into is None else set()
    kept = [
        r for r in state.project.regions.regions if r.id not in first or not r.source.of_faces
    ]  # fmt: skip
    if len(names) + len(kept) > MAX_FLAGS:
        raise RegionError(f"That makes {len(names)} regions; {MAX_FLAGS} are possible. Join some first.")
    regions = list(kept)
    for label, name in enumerate(names):
        source = FacesSource(runs=to_runs(labels == label))
        flag = next_flag([region.flag for region in regions])
        regions.append(Region(id=new_id("region"), name=free_region_name(regions, name), flag=flag, source=source))
    return put_regions(state, regions, division)


def regions_from_mesh(state: State, kind: str, tolerance: float = SAME_COLOR, into: Into | None = None) -> State:
    """Regions from what the mesh brings along: 'material', 'shell', 'island' or 'vertex-color'."""
    if state.mesh is None:
        raise RegionError("Bring in a mesh first.")
    mesh = state.mesh.mesh
    labels, names = mesh_labels(mesh, state.mesh.topology, kind, tolerance)
    if state.sheet.groups is None:
        return regions_from_labels(state, labels, names, into)
    # Faces of other sheets are in no region of this one.
    labels = np.where(is_aside(mesh), -1, labels)
    kept = np.unique(labels[labels >= 0])
    dense = np.where(labels >= 0, np.searchsorted(kept, labels), -1).astype(np.int32)
    return regions_from_labels(state, dense, [names[i] for i in kept], into)


def regions_from_other(
    state: State, other: Mesh, within: float | None = None, tolerance: float = SAME_COLOR, into: Into | None = None
) -> tuple[State, Transfer]:
    """Regions of another mesh of the same shape: its vertex colors if it has any, else its material groups.

    within: the farthest that counts, in units of the mesh; by default a hundredth of its size.

    Raises RegionError when the two do not stand in the same place, or nothing of the other is near.
    """
    if state.mesh is None:
        raise RegionError("Bring in a mesh first.")
    kind = "vertex-color" if other.colors is not None else "material"
    labels, names = mesh_labels(other, find_topology(other), kind, tolerance)
    moved = transfer_labels(state.mesh.mesh, other, labels, within)
    kept = np.unique(moved.labels[moved.labels >= 0])
    if not len(kept):
        raise RegionError(
            f"No face of {other.name} is within {moved.within:.3g} units. Does it have the same shape? "
            "Else allow a larger distance."
        )
    dense = np.searchsorted(kept, moved.labels).astype(np.int32)
    labelled = np.where(moved.labels >= 0, dense, -1)
    return regions_from_labels(state, labelled, [names[i] for i in kept], into), moved


def region_of_faces(state: State, of_region: str | None = None) -> NDArray[np.int32]:
    """For each face the index of its region, int32 (F,): the face region it is in, else the region of an image or of
    paint that covers its middle, else -1. of_region: a region of the division that is meant, the first by default."""
    division = state.project.regions.division_of(of_region)
    labels = face_region_labels(state, division)
    inside = {region.id for region in division.regions}
    planes = [
        plane if region in inside else np.zeros_like(plane)
        for region, plane in zip(state.region_ids, state.sources.coverages, strict=True)
    ]
    if planes and state.mesh is not None and state.mesh.mesh.uvs is not None:
        height, width = planes[0].shape
        middle = state.mesh.mesh.uvs.mean(1) % 1.0
        x, y = (middle[:, 0] * width).astype(int) % width, (middle[:, 1] * height).astype(int) % height
        here = np.stack([plane[y, x] for plane in planes])
        labels = np.where(labels < 0, np.where(here.max(0) >= 128, here.argmax(0), -1), labels).astype(np.int32)
    return labels


def flag_of_faces(state: State) -> NDArray[np.uint8]:
    """The flag color of each face, uint8 (F, 3); for regions of an image the one that covers its middle, black for
    none."""
    if state.mesh is None or state.mesh.mesh.uvs is None:
        raise RegionError("Bring in a mesh first.")
    labels = region_of_faces(state)
    table = np.array([parse_hex(region.flag) for region in state.project.regions.regions] + [(0, 0, 0)], np.uint8)
    return np.asarray(table[labels])


def set_bake(state: State, **parts: object) -> State:
    """Change size, samples or padding of the bake."""
    bake = BakeSettings.model_validate({**state.project.regions.bake.model_dump(), **parts})
    return with_regions(state, state.project.regions.model_copy(update={"bake": bake}))


def use_flags(state: State, flags: tuple[str, ...]) -> State:
    """Give the regions these flag colors in order, '#rrggbb', at least as many as there are regions."""
    regions = state.project.regions.regions
    changed = [r.model_copy(update={"flag": flag}) for r, flag in zip(regions, flags, strict=False)]
    return put_regions(state, [*changed, *regions[len(changed) :]])


@dataclass(frozen=True)
class Shared:
    """How shells were shared out. reached: each region's part, 0..1. alike: pairs of neighbors with one region, 0 where
    they need not differ."""

    reached: tuple[float, ...]
    alike: int


def share_shells(
    state: State, percentages: list[float], seed: int, by_area: bool, apart: bool, into: Into | None = None
) -> tuple[State, Shared]:
    """Share the shells of the mesh out among as many regions as percentages are given.

    by_area: by area in the UV layout, else by count. apart: neighbors get different regions where that is possible.
    """
    if state.mesh is None:
        raise RegionError("Bring in a mesh first.")
    mesh, topology = state.mesh.mesh, state.mesh.topology
    areas = np.bincount(topology.shells, weights=np.abs(mesh.uv_areas()), minlength=topology.shell_count)
    sizes = areas if by_area else np.ones(topology.shell_count)
    neighbors = near_shells(mesh, topology) if apart else np.empty((0, 2), np.int64)
    given = share_out(sizes, percentages, seed, neighbors)
    names = [f"Share {i + 1}" for i in range(len(percentages))]
    reached = reached_shares(sizes, given, len(percentages))
    shared = Shared(tuple(float(part) for part in reached), alike_neighbors(given, neighbors))
    return regions_from_labels(state, given[topology.shells], names, into), shared
