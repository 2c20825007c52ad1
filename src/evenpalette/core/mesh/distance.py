"""How far a point is from a triangle."""

from evenpalette.core.kernels import njit

#: Keeps triangles without area from dividing by zero.
_TINY = 1e-300


@njit(nogil=True, cache=True, inline="always")
def _dot(ax, ay, az, bx, by, bz):  # type: ignore[no-untyped-def]
    return ax * bx + ay * by + az * bz


@njit(nogil=True, cache=True)
def squared_distance(p, a, b, c):  # type: ignore[no-untyped-def]
    """Squared distance of a point (3,) to a triangle of corners (3,) each.

    C. Ericson, "Real-Time Collision Detection" (2005), section 5.1.5.
    """
    abx, aby, abz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    acx, acy, acz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    apx, apy, apz = p[0] - a[0], p[1] - a[1], p[2] - a[2]
    d1, d2 = _dot(abx, aby, abz, apx, apy, apz), _dot(acx, acy, acz, apx, apy, apz)
    if d1 <= 0 and d2 <= 0:
        return _dot(apx, apy, apz, apx, apy, apz)
    bpx, bpy, bpz = p[0] - b[0], p[1] - b[1], p[2] - b[2]
    d3, d4 = _dot(abx, aby, abz, bpx, bpy, bpz), _dot(acx, acy, acz, bpx, bpy, bpz)
    if d3 >= 0 and d4 <= d3:
        return _dot(bpx, bpy, bpz, bpx, bpy, bpz)
    cpx, cpy, cpz = p[0] - c[0], p[1] - c[1], p[2] - c[2]
    d5, d6 = _dot(abx, aby, abz, cpx, cpy, cpz), _dot(acx, acy, acz, cpx, cpy, cpz)
    if d6 >= 0 and d5 <= d6:
        return _dot(cpx, cpy, cpz, cpx, cpy, cpz)
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    if vc <= 0 and d1 >= 0 and d3 <= 0:
        s, t = d1 / max(d1 - d3, _TINY), 0.0
    elif vb <= 0 and d2 >= 0 and d6 <= 0:
        s, t = 0.0, d2 / max(d2 - d6, _TINY)
    elif va <= 0 and (d4 - d3) >= 0 and (d5 - d6) >= 0:
        t = (d4 - d3) / max((d4 - d3) + (d5 - d6), _TINY)
        s = 1 - t
    else:
        s, t = vb / max(va + vb + vc, _TINY), vc / max(va + vb + vc, _TINY)
    qx, qy, qz = apx - abx * s - acx * t, apy - aby * s - acy * t, apz - abz * s - acz * t
    return _dot(qx, qy, qz, qx, qy, qz)
