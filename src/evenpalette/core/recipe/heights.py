"""Two things by a pattern, plain or by their heights: what stands higher shows through. For kinds that mix."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.kind import Prepared

WAYS = ("Plain", "By heights")


@njit(nogil=True, cache=True, fastmath=True)
def shares(pattern, first, second, depth, by_heights, out):  # type: ignore[no-untyped-def]
    """How much of the second there is at each texel, 0..1; for use inside kernels."""
    one = np.float32(1)
    for i in range(pattern.size):
        t = min(max(pattern[i], np.float32(0)), one)
        if by_heights:
            low, high = first[i] + (one - t), second[i] + t
            ground = max(low, high) - depth
            a, b = max(low - ground, np.float32(0)), max(high - ground, np.float32(0))
            t = b / max(a + b, np.float32(1e-6))
        out[i] = t


def depth(values: Prepared) -> float:
    """How far below the higher one something still shows. values: `contrast`."""
    # From a depth of 1, in which all blends, to nearly none, in which the higher one wins.
    return 1 - 0.98 * float(values["contrast"])


#: The same in shaders.
GLSL = """
float ep_heights(int way, float contrast, float pattern, float first, float second) {
    float t = clamp(pattern, 0.0, 1.0);
    float low = first + (1.0 - t), high = second + t;
    float ground = max(low, high) - (1.0 - 0.98 * contrast);
    float a = max(low - ground, 0.0), b = max(high - ground, 0.0);
    return way == 1 ? b / max(a + b, 1e-6) : t;
}
"""
