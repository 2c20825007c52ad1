"""Pictures of a document that are not a recolored base color."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.project.state import State
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.regions.coverage import resolve_overlap


def id_picture(state: State) -> Raster:
    """The regions as one picture of flag colors, 8-bit data RGB, mixed by their resolved coverages."""
    regions, sources = state.project.regions, state.working
    width, height = sources.size
    picture = np.zeros((height, width, 3), np.float32)
    if regions.regions:
        planes = np.stack(list(sources.coverages)).astype(np.float32) / np.float32(255)
        for region, plane in zip(regions.regions, resolve_overlap(planes, regions.overlap), strict=True):
            picture += plane[..., None] * np.array(parse_hex(region.flag), np.float32)
    return Raster(np.clip(np.rint(picture), 0, 255).astype(np.uint8), Encoding.DATA)


def resolved_planes(state: State) -> NDArray[np.uint8]:
    """The coverages as steps see them, their overlaps resolved: uint8 (regions, height, width)."""
    raw = np.stack([state.coverages[r] for r in state.region_ids]).astype(np.float32) / np.float32(255)
    return np.rint(np.clip(resolve_overlap(raw, state.project.regions.overlap), 0, 1) * 255).astype(np.uint8)
