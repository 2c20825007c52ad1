"""The closest face of a mesh to a point."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit, prange
from evenpalette.core.mesh.distance import squared_distance
from evenpalette.core.mesh.mesh import Mesh


@njit(nogil=True, cache=True, parallel=True)
def _nearest(points, triangles, starts, candidates, faces, squared):  # type: ignore[no-untyped-def]
    for i in prange(points.shape[0]):
        best, found = np.inf, -1
        for k in range(starts[i], starts[i + 1]):
            face = candidates[k]
            d = squared_distance(points[i], triangles[face, 0], triangles[face, 1], triangles[face, 2])
            if d < best:
                best, found = d, face
        faces[i], squared[i] = found, best


def closest_faces(mesh: Mesh, points: NDArray) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """The nearest face of the mesh and the distance to it for every point: (n,) and (n,), exact.

    A triangle lies within its own radius of its middle, so the faces that can be nearest are those whose middle is
    within (distance to the nearest corner + that radius) of the point; those are compared exactly. Faces are taken in
    classes of like size, so that a few large ones do not make candidates of all small ones.
    """
    from scipy.spatial import cKDTree

    triangles = mesh.positions[mesh.faces].astype(np.float64)
    middles = triangles.mean(1)
    radii = np.linalg.norm(triangles - middles[:, None], axis=-1).max(1)
    points = np.ascontiguousarray(points, np.float64).reshape(-1, 3)
    best, _ = cKDTree(triangles.reshape(-1, 3)).query(points)
    best = best + 1e-12
    nearest = np.full(len(points), -1, np.int64)
    sizes = np.floor(np.log2(np.maximum(radii, radii.max() * 2.0**-20))).astype(int)
    for size in np.unique(sizes):
        members = np.flatnonzero(sizes == size)
        reach = best + float(radii[members].max())
        lists = cKDTree(middles[members]).query_ball_point(points, reach, workers=-1)
        starts = np.concatenate([[0], np.cumsum([len(found) for found in lists])]).astype(np.int64)
        if starts[-1] == 0:
            continue
        candidates = members[np.concatenate([np.asarray(found, np.int64) for found in lists])]
        faces, squared = np.empty(len(points), np.int64), np.empty(len(points))
        _nearest(points, triangles, starts, candidates, faces, squared)
        closer = (faces >= 0) & (np.sqrt(squared) <= best)
        nearest[closer], best[closer] = faces[closer], np.sqrt(squared[closer])
    return nearest, best
