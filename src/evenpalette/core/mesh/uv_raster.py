"""Which face lies under which texel.

A texel belongs to the face that covers its center; centers exactly on an edge follow the top-left rule
(Vulkan specification, "Basic Polygon Rasterization"), so that no texel between two faces is lost or taken twice.
"""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit
from evenpalette.core.mesh.triangle_rule import centers, edge, in_texels, owns, within


@njit(nogil=True, cache=True)
def _rasterize(corners, width, height, out):  # type: ignore[no-untyped-def]
    for face in range(corners.shape[0]):
        x0, y0, x1, y1, x2, y2, area = in_texels(corners, face, width, height)
        if area == 0.0:
            continue
        left, right = centers(x0, x1, x2, width)
        top, bottom = centers(y0, y1, y2, height)
        own0, own1, own2 = owns(x0, y0, x1, y1), owns(x1, y1, x2, y2), owns(x2, y2, x0, y0)
        for row in range(top, bottom + 1):
            y = row + 0.5
            for column in range(left, right + 1):
                x = column + 0.5
                e0, e1, e2 = edge(x0, y0, x1, y1, x, y), edge(x1, y1, x2, y2, x, y), edge(x2, y2, x0, y0, x, y)
                if within(e0, e1, e2, own0, own1, own2):
                    out[row, column] = face


def face_map(uvs: NDArray[np.float32], width: int, height: int) -> NDArray[np.int32]:
    """The face under each texel center, int32 (height, width), -1 where there is none; later faces win overlaps.

    uvs: (F, 3, 2), v running down; parts outside the tile 0..1 are cut off.
    """
    out = np.full((height, width), -1, np.int32)
    _rasterize(np.ascontiguousarray(uvs, np.float64), width, height, out)
    return out


def barycentric(triangles: NDArray, points: NDArray) -> NDArray[np.float64]:
    """Weights (..., 3) of 2D points (..., 2) in 2D triangles (..., 3, 2); zeros where a triangle has no area."""
    triangles, p = np.asarray(triangles, np.float64), np.asarray(points, np.float64)
    a, b, c = (triangles[..., i, :] for i in range(3))
    area = _cross(b - a, c - a)
    known = area != 0
    divisor = np.where(known, area, 1.0)
    wb, wc = _cross(p - a, c - a) / divisor, _cross(b - a, p - a) / divisor
    return np.where(known[..., None], np.stack([1 - wb - wc, wb, wc], -1), 0.0)


def _cross(u: NDArray, v: NDArray) -> NDArray:
    return np.asarray(u[..., 0] * v[..., 1] - u[..., 1] * v[..., 0])
