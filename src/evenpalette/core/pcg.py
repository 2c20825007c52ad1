"""A hash of 32-bit numbers that is equal on CPU and GPU: `pcg` of Jarzynski and Olano, "Hash Functions for GPU
Rendering", JCGT 9(3), 2020.
"""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit


def pcg(numbers: NDArray[np.uint32] | int) -> NDArray[np.uint32]:
    """The hash of 32-bit numbers."""
    with np.errstate(over="ignore"):
        state = np.asarray(numbers, np.uint32) * np.uint32(747796405) + np.uint32(2891336453)
        word = ((state >> ((state >> np.uint32(28)) + np.uint32(4))) ^ state) * np.uint32(277803737)
        return np.asarray((word >> np.uint32(22)) ^ word, np.uint32)


@njit(nogil=True, cache=True)
def pcg_of_one(v):  # type: ignore[no-untyped-def]
    """The same of one number in kernels; the compiler widens sums of 32 bits, so each is cut again."""
    state = np.uint32(np.uint32(v) * np.uint32(747796405) + np.uint32(2891336453))
    word = np.uint32(((state >> ((state >> np.uint32(28)) + np.uint32(4))) ^ state) * np.uint32(277803737))
    return np.uint32((word >> np.uint32(22)) ^ word)


#: The same in shaders.
GLSL = """
// pcg, Jarzynski and Olano, JCGT 9(3), 2020.
uint ep_pcg(uint v) {
    uint state = v * 747796405u + 2891336453u;
    uint word = ((state >> ((state >> 28u) + 4u)) ^ state) * 277803737u;
    return (word >> 22u) ^ word;
}
"""
