"""Which points a triangle covers, the same in every kernel: points on an edge follow the top-left rule.

Vulkan specification, "Basic Polygon Rasterization": so no point between two triangles is lost or taken twice. y runs
down and corners go around so that the area is positive: an edge is "top" when it runs right on a level, "left" when it
runs up.
"""

import numpy as np

from evenpalette.core.kernels import njit


@njit(nogil=True, inline="always")
def edge(xa, ya, xb, yb, x, y):  # type: ignore[no-untyped-def]
    """Positive on the inner side of the edge from a to b."""
    return (xb - xa) * (y - ya) - (x - xa) * (yb - ya)


@njit(nogil=True, inline="always")
def owns(xa, ya, xb, yb):  # type: ignore[no-untyped-def]
    """Whether points on the edge from a to b belong to the triangle."""
    return (yb == ya and xb > xa) or yb < ya


@njit(nogil=True, inline="always")
def within(e0, e1, e2, own0, own1, own2):  # type: ignore[no-untyped-def]
    """Whether a point with these edge values is covered."""
    return (e0 > 0 or (e0 == 0 and own0)) and (e1 > 0 or (e1 == 0 and own1)) and (e2 > 0 or (e2 == 0 and own2))


@njit(nogil=True, inline="always")
def in_texels(uvs, face, width, height):  # type: ignore[no-untyped-def]
    """Corners of a face in texels, going around so that the area is positive, and twice its area as the UVs have it.

    A negative area says that the last two corners changed places.
    """
    x0, y0 = uvs[face, 0, 0] * width, uvs[face, 0, 1] * height
    x1, y1 = uvs[face, 1, 0] * width, uvs[face, 1, 1] * height
    x2, y2 = uvs[face, 2, 0] * width, uvs[face, 2, 1] * height
    area = edge(x0, y0, x1, y1, x2, y2)
    if area < 0:
        x1, y1, x2, y2 = x2, y2, x1, y1
    return x0, y0, x1, y1, x2, y2, area


@njit(nogil=True, inline="always")
def centers(a, b, c, count):  # type: ignore[no-untyped-def]
    """The first and last texel of `count` whose center lies between the lowest and highest of three places."""
    return max(0, int(np.ceil(min(a, b, c) - 0.5))), min(count - 1, int(np.floor(max(a, b, c) - 0.5)))
