"""Which regions have a common border."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.regions.owners import owners


def touching_regions(planes: list[NDArray[np.uint8]], reach_texels: int = 2) -> list[tuple[int, int]]:
    """Pairs of regions whose texels lie within `reach_texels` of each other in the texture, or share a soft texel."""
    if not planes:
        return []
    owner = owners(planes, 96)
    found: set[tuple[int, int]] = set()
    for dy, dx in ((0, reach_texels), (reach_texels, 0), (0, 1), (1, 0)):
        a, b = owner[: owner.shape[0] - dy, : owner.shape[1] - dx], owner[dy:, dx:]
        differ = (a != b) & (a >= 0) & (b >= 0)
        pairs = np.unique(np.sort(np.stack([a[differ], b[differ]], -1), axis=1), axis=0)
        found.update((int(p[0]), int(p[1])) for p in pairs)
    return sorted(found)
