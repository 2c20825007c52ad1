"""What painting does to the document."""

from collections.abc import Mapping
from dataclasses import replace
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.document.state import State, new_id
from evenpalette.core.edits.regions import free_region_name, put_regions, recompute_coverages
from evenpalette.core.errors import RegionError
from evenpalette.core.regions.chain import read_by
from evenpalette.core.regions.coverage import painted
from evenpalette.core.regions.dividing.flags import next_flag
from evenpalette.core.regions.region_set import Region
from evenpalette.core.regions.sources.painted import PaintedSource


def add_painted_region(state: State, division: str | None = None) -> State:
    """Add an empty region to be painted, of the size of the other coverages, else of the bake."""
    regions = list(state.project.regions.regions)
    size = state.project.regions.bake.size
    shape = next(iter(state.coverages.values())).shape if state.coverages else (size, size)
    made = Region(
        id=new_id("region"), name=free_region_name(regions), flag=next_flag([r.flag for r in regions]),
        source=PaintedSource(),
    )  # fmt: skip
    state = replace(state, made=MappingProxyType({**state.made, made.id: painted(np.zeros(shape, np.uint8))}))
    return put_regions(state, [*regions, made], division)


def why_not_paintable(region: Region | None) -> str:
    """Why a brush cannot change this region, and what to do; '' where it can."""
    if region is None:
        return "There is no region to paint. Make one with New painted region."
    if region.locked:
        return f"{region.name} is locked. Unlock it to paint on it."
    if not region.source.keeps_texels or region.operations:
        return f"{region.name} follows its source. Freeze it to paint on it; undo brings the source back."
    return ""


def is_paintable(region: Region | None) -> bool:
    """Whether a brush can change this region as it is: painted, with no chain, not locked."""
    return not why_not_paintable(region)


def locked_cover(state: State, region_id: str | None = None) -> NDArray[np.uint8] | None:
    """How far locked regions of a region's division keep painting out, uint8 (height, width); None where none is
    locked."""
    division = state.project.regions.division_of(region_id)
    locked = [r.id for r in division.regions if r.locked and r.id in state.coverages]
    if not locked:
        return None
    total = np.zeros(state.coverages[locked[0]].shape, np.uint16)
    for region in locked:
        total += state.coverages[region]
    return np.minimum(total, 255).astype(np.uint8)


def with_painted(state: State, planes: Mapping[str, NDArray[np.uint8]]) -> State:
    """The state with new planes for painted regions, uint8 (height, width) of the size of the coverages.

    Fast where no chain of operations follows them. Raises RegionError for a region that cannot be painted.
    """
    regions = state.project.regions
    for region_id in planes:
        if reason := why_not_paintable(regions.find(region_id)):
            raise RegionError(reason)
    made = {**state.made, **{key: painted(plane) for key, plane in planes.items()}}
    after = replace(state, made=MappingProxyType(made), coverages=MappingProxyType({**state.coverages, **planes}))
    read = {r for region in regions.regions for o in region.operations for r in read_by(o)[0]}
    return recompute_coverages(after) if read & set(planes) else after
