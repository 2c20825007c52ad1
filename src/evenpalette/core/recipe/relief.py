"""A second normal map laid on a relief as on a bent sheet. For kinds that bring a relief of their own.

C. Barre-Brisebois, S. Hill, "Blending in Detail", 2012: reoriented normal mapping.
"""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import line, numbers, three


@njit(nogil=True, cache=True, fastmath=True)
def combine(x, y, weight, amount, red, green, blue, strength, keep, down):  # type: ignore[no-untyped-def]
    """See `relief`; for use inside kernels."""
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


@njit(nogil=True, cache=True, fastmath=True)
def relief(at, start, n):  # type: ignore[no-untyped-def]
    """A normal map (its stored values, 0..1) laid on slopes. Lines: two slopes, the weight, red, green, blue. Numbers:
    the amount, by what its slopes are multiplied, how much of those below stays, and 1, or -1 where its green points
    down."""
    v = numbers(at, 4)
    red, green, blue = three(at, 3, start, n)
    x, y, weight = line(at, 0, start, n), line(at, 1, start, n), line(at, 2, start, n)
    combine(x, y, weight, v[0], red, green, blue, v[1], v[2], v[3])


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
