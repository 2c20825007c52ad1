"""From what the document says about regions to their coverage planes."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.view import MeshView
from evenpalette.core.raster.raster import Raster
from evenpalette.core.raster.reading import plane_at
from evenpalette.core.regions.chain import ChainInputs, Planes, in_order, read_by, run_chain
from evenpalette.core.regions.region_set import Region, RegionSet
from evenpalette.core.regions.source import SourceInputs
from evenpalette.core.regions.sources import source_kind

#: What a painted plane was made from.
PAINTED = ("painted",)


class _Same:
    """Equal only to what holds the very same object."""

    def __init__(self, held: object) -> None:
        self.held = held

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.held is self.held

    __hash__ = None  # type: ignore[assignment]


@dataclass(frozen=True, eq=False)
class Made:
    """A coverage and what it was made from: the plane from its source at the source's size, then its operations."""

    raw: NDArray[np.uint8]
    raw_from: tuple = ()
    coverage: NDArray[np.uint8] | None = None
    coverage_from: tuple = ()


def painted(plane: NDArray[np.uint8]) -> Made:
    """A painted plane, to be taken over by a region whose source keeps its texels."""
    return Made(plane, PAINTED, plane)


def compute_coverages(
    regions: RegionSet, textures: Mapping[str, Raster], mesh: MeshView | None = None, before: Mapping[str, Made] = {}
) -> dict[str, Made]:
    """The coverage of every region from its source and its operations, all of one size, that of the largest source.

    mesh: what face regions are baked from. before: what was made last time; what would come out the same is kept, and
    painted planes are taken from it. What sources of one division are made together says their kind. Raises
    RegionError when something that a region is made from is missing.
    """
    raws = _source_planes(regions, textures, mesh, before)
    if not raws:
        return {}
    shape = max((made.raw.shape for made in raws.values()), key=lambda shape: shape[0] * shape[1])
    texels = mesh.texels((shape[0], shape[1])) if mesh is not None else None
    done: dict[str, Made] = {}
    planes: Planes = {}
    wholes: Planes = {}
    keys: dict[str, tuple] = {}
    by_id = {region.id: region for region in regions.regions}

    def whole(region: Region) -> NDArray[np.uint8]:
        """A region before others are split from it."""
        if region.id not in wholes:
            start = plane_at(raws[region.id].raw, (shape[1], shape[0]))
            if region.source.part_of in by_id:
                start = _part(whole(by_id[region.source.part_of]), start)
            wholes[region.id] = run_chain(start, region.operations, ChainInputs(planes, textures, texels))
        return wholes[region.id]

    for region in in_order(regions.regions):
        raw, source = raws[region.id], region.source
        reads = [read_by(operation) for operation in region.operations]
        looked_at = [planes.get(r) for rs, _ in reads for r in rs] + [textures.get(t) for _, ts in reads for t in ts]
        keys[region.id] = (_Same(raw.raw), shape, region.operations, *map(_Same, looked_at), _Same(mesh))
        taken = [raws[other.id].raw for other in regions.split_from(region.id)]
        keys[region.id] = (*keys[region.id], *keys.get(source.part_of, ()))
        key = (keys[region.id], tuple(map(_Same, taken)))
        old = before.get(region.id)
        if old is not None and old.coverage is not None and old.coverage_from == key:
            plane = old.coverage
        else:
            plane = whole(region)
            for share in taken:
                plane = _part(plane, 255 - plane_at(share, (shape[1], shape[0])))
        planes[region.id] = plane
        done[region.id] = replace(raw, coverage=plane, coverage_from=key)
    return {region.id: done[region.id] for region in regions.regions}


def _part(plane: NDArray[np.uint8], share: NDArray[np.uint8]) -> NDArray[np.uint8]:
    return ((plane.astype(np.uint16) * share + 127) // 255).astype(np.uint8)


def _source_planes(
    regions: RegionSet, textures: Mapping[str, Raster], mesh: MeshView | None, before: Mapping[str, Made]
) -> dict[str, Made]:
    groups: dict[tuple, list[Region]] = {}
    homes = {region.id: division.id for division in regions.divisions for region in division.regions}
    for region in regions.regions:
        if region.source.reads and region.source.reads not in textures:
            raise RegionError(f"The texture that region '{region.name}' is made from is gone. Give it another source.")
        together = source_kind(region.source).together(region.source)
        alike = (region.id,) if together is None else (region.source.kind, together, homes[region.id])
        groups.setdefault(alike, []).append(region)
    around = SourceInputs(textures, mesh, regions.bake)
    made: dict[str, Made] = {}
    for members in groups.values():
        source = members[0].source
        planes = source_kind(source).planes
        if planes is None:
            empty = np.zeros((regions.bake.size,) * 2, np.uint8)
            old = before.get(members[0].id)
            made[members[0].id] = old if old is not None and old.raw_from == PAINTED else painted(empty)
            continue
        key: tuple = (tuple(region.source for region in members), _Same(textures.get(source.reads)))
        if source.of_faces:
            key = (*key, _Same(mesh), regions.bake)
        if all(region.id in before and before[region.id].raw_from == key for region in members):
            made.update({region.id: before[region.id] for region in members})
            continue
        drawn = planes([region.source for region in members], around)
        made.update({region.id: Made(plane, key) for region, plane in zip(members, drawn, strict=True)})
    return made


def strongest_at(planes: Mapping[str, NDArray[np.uint8]], u: float, v: float) -> str | None:
    """The id of the region with the largest coverage at a texel, None where none covers it. planes: equal (H, W), at
    least one; u, v in 0..1, v down."""
    height, width = next(iter(planes.values())).shape
    y, x = min(height - 1, max(0, int(v * height))), min(width - 1, max(0, int(u * width)))
    best = max(planes, key=lambda region: planes[region][y, x])
    return best if planes[best][y, x] else None
