"""Filling a whole island, shell, group or everything."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.mesh.texels import Texels

EXTENTS = ("island", "shell", "group", "all")


def fill_mask(texels: Texels, face: int, extent: str) -> NDArray[np.bool_]:
    """The texels of what the face belongs to, with the gutter that stands in for them; bool (height, width)."""
    owners = {"island": texels.topology.islands, "shell": texels.topology.shells, "group": texels.mesh.groups}
    labels = owners.get(extent, np.zeros(texels.mesh.face_count, np.int32))
    chosen = labels == labels[face]
    return texels.fill_gutter((texels.faces >= 0) & chosen[texels.faces])


def filled(
    planes: Mapping[str, NDArray[np.uint8]], region: str, mask: NDArray[np.bool_], *, erases: bool, takes: bool,
    protected: NDArray[np.uint8] | None = None,
) -> dict[str, NDArray[np.uint8]]:  # fmt: skip
    """Changed planes (uint8) after filling a region's mask, or emptying it; others lose what it takes."""
    room = mask.astype(np.float32)
    if protected is not None:
        room *= 1 - protected.astype(np.float32) / np.float32(255)
    changed = {}
    for key, plane in planes.items():
        if key != region and (erases or not takes or not (plane > 0)[mask].any()):
            continue
        target = np.float32(255 if key == region and not erases else 0)
        changed[key] = np.rint(plane + (target - plane) * room).astype(np.uint8)
    return changed
