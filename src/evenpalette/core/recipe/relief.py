"""A second normal map laid on a relief as on a bent sheet. For kinds that bring a relief of their own.

C. Barre-Brisebois, S. Hill, "Blending in Detail", 2012: reoriented normal mapping.
"""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.kind import Plane, Planes


@njit(nogil=True, cache=True, fastmath=True)
def _combine(x, y, weight, amount, red, green, blue, strength, keep, down):  # type: ignore[no-untyped-def]
    # Numbers of 32 bits throughout: with plain ones the compiler works in 64 and in half as wide steps.
    one, two = np.float32(1), np.float32(2)
    for i in range(x.size):
        w = weight[i] * amount
        # The detail as a unit vector, its slopes scaled.
        u, v = red[i] * two - one, (green[i] * two - one) * down
        z = max(blue[i] * two - one, np.float32(0.2))
        u, v = u * strength, v * strength
        length = one / np.sqrt(u * u + v * v + z * z)
        u, v, z = u * length, v * length, z * length
        # The base as a unit vector; t and u of reoriented normal mapping.
        bx, by = x[i] * keep, y[i] * keep
        length = one / np.sqrt(bx * bx + by * by + one)
        tx, ty, tz = bx * length, by * length, length + one
        dot = (tz * z - tx * u - ty * v) / tz
        share = w / max(tz * dot - z, np.float32(0.1))
        x[i] += (tx * dot + u) * share - x[i] * w
        y[i] += (ty * dot + v) * share - y[i] * w


def lay_relief(
    planes: Planes, weight: Plane, amount: float, vectors: Planes, strength: float, keep: float, *, down: bool
) -> None:
    """Lay a normal map (its stored values, 0..1) on slopes in place. strength: of its slopes. keep: how much of those
    below stays, 0..1. down: whether its green points down."""
    red, green, blue = vectors[:3]
    f = np.float32
    _combine(*planes, weight, f(amount), red, green, blue, f(strength), f(keep), f(-1 if down else 1))


#: The same in shaders.
GLSL = """
vec2 ep_relief(vec2 c, vec3 stored, float strength, float keep, bool down) {
    vec3 n = stored * 2.0 - 1.0;
    n = normalize(vec3(n.x * strength, (down ? -n.y : n.y) * strength, max(n.z, 0.2)));
    vec3 t = normalize(vec3(c * keep, 1.0)) + vec3(0.0, 0.0, 1.0);
    vec3 u = vec3(-n.xy, n.z);
    vec3 r = t * (dot(t, u) / t.z) - u;
    return r.xy / max(r.z, 0.1);
}
"""
