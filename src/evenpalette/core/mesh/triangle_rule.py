"""Which points a triangle covers, the same in every kernel: points on an edge follow the top-left rule.

Vulkan specification, "Basic Polygon Rasterization": so no point between two triangles is lost or taken twice. y runs
down and corners go around so that the area is positive: an edge is "top" when it runs right on a level, "left" when it
runs up. To be inlined; numba's cache does not notice changes of this file: clear it after one.
"""

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
