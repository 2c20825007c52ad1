"""Pictures of a document that are not a recolored base color."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.document.state import State
from evenpalette.core.errors import RegionError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.regions.overlap import resolve_tile
from evenpalette.core.regions.region_set import Division

_STRIP_TEXELS = 1 << 18


def division_named(state: State, name: str) -> Division:
    """The division of this name or number, '' is the first. Raises RegionError with the names that there are."""
    divisions = state.project.regions.divisions
    wanted = name.strip().lower()
    found = (d for n, d in enumerate(divisions, 1) if wanted in ("", d.name.lower(), str(n)))
    division = next(found, None)
    if division is None:
        raise RegionError(f"There is no division '{name}'. There are: {', '.join(d.name for d in divisions)}.")
    return division


def id_picture(state: State, division: Division | None = None) -> Raster:
    """The regions of a division (the first by default) as flag colors, 8-bit data RGB, mixed by resolved coverages."""
    division = division or state.project.regions.divisions[0]
    sources = state.working
    width, height = sources.size
    picture = np.zeros((height, width, 3), np.float32)
    planes = dict(zip(state.region_ids, sources.coverages, strict=True))
    flags = np.array([parse_hex(region.flag) for region in division.regions], np.float32).reshape(-1, 3)
    rows = max(1, _STRIP_TEXELS // width)
    for top in range(0, height if division.regions else 0, rows):
        raw = np.stack([planes[region.id][top : top + rows] for region in division.regions])
        shares = resolve_tile(raw.reshape(len(raw), -1), division.overlap)
        picture[top : top + rows] = (shares.T @ flags).reshape(-1, width, 3)
    return Raster(np.clip(np.rint(picture), 0, 255).astype(np.uint8), Encoding.DATA)


def resolved_planes(state: State, division: Division | None = None) -> NDArray[np.uint8]:
    """The coverages of a division as steps see them, their overlaps resolved: uint8 (regions, height, width)."""
    division = division or state.project.regions.divisions[0]
    raw = np.stack([state.coverages[region.id] for region in division.regions])
    resolved = np.empty_like(raw)
    rows = max(1, _STRIP_TEXELS // raw.shape[2])
    for top in range(0, raw.shape[1], rows):
        part = np.ascontiguousarray(raw[:, top : top + rows])
        shares = resolve_tile(part.reshape(len(part), -1), division.overlap)
        resolved[:, top : top + rows] = np.rint(np.clip(shares, 0, 1) * 255).astype(np.uint8).reshape(part.shape)
    return resolved
