"""How much of each texel faces cover, by exact area or by counting sample points.

Exact: each triangle is clipped to the texel (Sutherland and Hodgman 1974) and the shoelace formula gives its area.
Samples lie on a regular grid inside the texel; points on an edge follow the top-left rule (Vulkan specification), so
that no sample between two faces is lost or counted twice.
"""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit
from evenpalette.core.mesh.triangle_rule import edge, in_texels, owns, within

EXACT = 0
SAMPLES = (EXACT, 1, 16, 64)


@njit(nogil=True, cache=True)
def _clip(xs, ys, count, axis, limit, keep_below, out_x, out_y):  # type: ignore[no-untyped-def]
    """Clip a polygon by one side of a box; returns the new corner count."""
    made = 0
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        a = xs[i] if axis == 0 else ys[i]
        b = xs[j] if axis == 0 else ys[j]
        a_in = a <= limit if keep_below else a >= limit
        b_in = b <= limit if keep_below else b >= limit
        if a_in:
            out_x[made], out_y[made] = xs[i], ys[i]
            made += 1
        if a_in != b_in:
            t = (limit - a) / (b - a)
            out_x[made] = xs[i] + t * (xs[j] - xs[i])
            out_y[made] = ys[i] + t * (ys[j] - ys[i])
            made += 1
    return made


@njit(nogil=True, cache=True)
def _overlap_area(x0, y0, x1, y1, x2, y2, column, row, ax, ay, bx, by):  # type: ignore[no-untyped-def]
    ax[0], ay[0], ax[1], ay[1], ax[2], ay[2] = x0, y0, x1, y1, x2, y2
    n = _clip(ax, ay, 3, 0, column, False, bx, by)
    n = _clip(bx, by, n, 0, column + 1, True, ax, ay)
    n = _clip(ax, ay, n, 1, row, False, bx, by)
    n = _clip(bx, by, n, 1, row + 1, True, ax, ay)
    area = 0.0
    for i in range(n):
        j = i + 1 if i + 1 < n else 0
        area += ax[i] * ay[j] - ax[j] * ay[i]
    return abs(area) * 0.5


@njit(nogil=True, cache=True)
def _cover(corners, labels, side, height, first, planes):  # type: ignore[no-untyped-def]
    """Rows from `first` on of a picture of `height` rows."""
    count, rows, width = planes.shape
    ax, ay, bx, by = np.empty(10), np.empty(10), np.empty(10), np.empty(10)
    step = 1.0 / max(side, 1)
    unit = np.float32(step * step)
    for face in range(corners.shape[0]):
        label = labels[face]
        if label < 0 or label >= count:
            continue
        x0, y0, x1, y1, x2, y2, area = in_texels(corners, face, width, height)
        if area == 0.0:
            continue
        left, right = max(0, int(np.floor(min(x0, x1, x2)))), min(width - 1, int(np.floor(max(x0, x1, x2))))
        top = max(first, int(np.floor(min(y0, y1, y2))))
        bottom = min(first + rows - 1, int(np.floor(max(y0, y1, y2))))
        if top > bottom:
            continue
        own0, own1, own2 = owns(x0, y0, x1, y1), owns(x1, y1, x2, y2), owns(x2, y2, x0, y0)
        # How much an edge function changes over half a texel: beyond it a texel is all in or all out.
        reach0 = 0.5 * (abs(x1 - x0) + abs(y1 - y0))
        reach1 = 0.5 * (abs(x2 - x1) + abs(y2 - y1))
        reach2 = 0.5 * (abs(x0 - x2) + abs(y0 - y2))
        for row in range(top, bottom + 1):
            y = row + 0.5
            for column in range(left, right + 1):
                x = column + 0.5
                e0, e1, e2 = edge(x0, y0, x1, y1, x, y), edge(x1, y1, x2, y2, x, y), edge(x2, y2, x0, y0, x, y)
                if e0 < -reach0 or e1 < -reach1 or e2 < -reach2:
                    continue
                if e0 > reach0 and e1 > reach1 and e2 > reach2:
                    planes[label, row - first, column] += np.float32(1)
                elif side == 0:
                    planes[label, row - first, column] += np.float32(
                        _overlap_area(x0, y0, x1, y1, x2, y2, column, row, ax, ay, bx, by)
                    )
                else:
                    inside = 0
                    for j in range(side):
                        sy = row + (j + 0.5) * step
                        for i in range(side):
                            sx = column + (i + 0.5) * step
                            s0 = edge(x0, y0, x1, y1, sx, sy)
                            s1 = edge(x1, y1, x2, y2, sx, sy)
                            s2 = edge(x2, y2, x0, y0, sx, sy)
                            if within(s0, s1, s2, own0, own1, own2):
                                inside += 1
                    planes[label, row - first, column] += unit * np.float32(inside)


def cover_texels(
    uvs: NDArray, labels: NDArray[np.int32], count: int, size: int, samples: int = 16, rows: slice | None = None
) -> NDArray[np.float32]:
    """How much of each texel the faces of each label cover, float32 (count, size, size), not clamped where UVs overlap.

    uvs: (F, 3, 2), v down; parts outside the tile are cut off. labels: (F,), -1 is left out. samples: 0 is exact area,
    else 1, 16 or 64 points a texel. rows: only these (count, rows, size). Either winding counts, so mirrored islands
    are covered too.
    """
    side = {0: 0, 1: 1, 16: 4, 64: 8}[samples]
    rows = rows or slice(0, size)
    planes = np.zeros((count, rows.stop - rows.start, size), np.float32)
    corners, own = np.ascontiguousarray(uvs, np.float64), np.ascontiguousarray(labels, np.int32)
    _cover(corners, own, side, size, rows.start, planes)
    return planes
