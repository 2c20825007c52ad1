"""The closest face of a mesh to a point."""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from evenpalette.core.mesh.mesh import Mesh


@njit(nogil=True, cache=True)
def _squared_distance(p, a, b, c):  # type: ignore[no-untyped-def]
    """From a point to a triangle; C. Ericson, "Real-Time Collision Detection" (2005), section 5.1.5."""
    ab, ac, ap = b - a, c - a, p - a
    d1, d2 = np.dot(ab, ap), np.dot(ac, ap)
    if d1 <= 0 and d2 <= 0:
        return np.dot(ap, ap)
    bp = p - b
    d3, d4 = np.dot(ab, bp), np.dot(ac, bp)
    if d3 >= 0 and d4 <= d3:
        return np.dot(bp, bp)
    vc = d1 * d4 - d3 * d2
    if vc <= 0 and d1 >= 0 and d3 <= 0:
        q = ap - ab * (d1 / (d1 - d3))
        return np.dot(q, q)
    cp = p - c
    d5, d6 = np.dot(ab, cp), np.dot(ac, cp)
    if d6 >= 0 and d5 <= d6:
        return np.dot(cp, cp)
    vb = d5 * d2 - d1 * d6
    if vb <= 0 and d2 >= 0 and d6 <= 0:
        q = ap - ac * (d2 / (d2 - d6))
        return np.dot(q, q)
    va = d3 * d6 - d5 * d4
    if va <= 0 and (d4 - d3) >= 0 and (d5 - d6) >= 0:
        q = bp - (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)))
        return np.dot(q, q)
    scale = 1.0 / (va + vb + vc)
    q = ap - ab * (vb * scale) - ac * (vc * scale)
    return np.dot(q, q)


@njit(nogil=True, cache=True, parallel=True)
def _nearest(points, triangles, starts, candidates, faces, squared):  # type: ignore[no-untyped-def]
    for i in prange(points.shape[0]):
        best, found = np.inf, -1
        for k in range(starts[i], starts[i + 1]):
            face = candidates[k]
            d = _squared_distance(points[i], triangles[face, 0], triangles[face, 1], triangles[face, 2])
            if d < best:
                best, found = d, face
        faces[i], squared[i] = found, best


def closest_faces(mesh: Mesh, points: NDArray) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """The nearest face of the mesh and the distance to it for every point: (n,) and (n,), exact.

    A triangle lies within its own radius of its middle, so the faces that can be nearest are those whose middle is
    within (distance to the nearest corner + that radius) of the point; those are compared exactly. Faces are taken in
    classes of like size, so that a few large ones do not make candidates of all small ones.
    """
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
