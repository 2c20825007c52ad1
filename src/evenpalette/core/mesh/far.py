"""Fewer triangles of the same vertices, for what is so small that nobody sees it: their indices alone are others."""

import numpy as np
from numpy.typing import NDArray


def clustered(positions: NDArray[np.float32], triangles: NDArray[np.integer], cell: float) -> NDArray[np.uint32]:
    """Triangles over vertices of which all in one cell of a grid are the first of them, those that are left with an
    area, each once; uint32 (n, 3). positions: (v, 3). cell: side of the grid's cells, in units of the mesh."""
    places = np.floor((positions - positions.min(0)) / max(cell, 1e-12)).astype(np.int64)
    _, first, numbers = np.unique(places, axis=0, return_index=True, return_inverse=True)
    stands = first[np.asarray(numbers).reshape(-1)][np.asarray(triangles, np.int64)]
    a, b, c = stands.T
    stands = stands[(a != b) & (b != c) & (c != a)]
    if not len(stands):
        return np.asarray(triangles[:1], np.uint32)
    _, kept = np.unique(np.sort(stands, 1), axis=0, return_index=True)
    return np.asarray(stands[np.sort(kept)], np.uint32)
