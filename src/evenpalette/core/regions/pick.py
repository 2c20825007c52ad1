"""Soft coverages by the distance to flag colors.

Coverage is 1 up to `near`, 0 from `far`, and linear between; distances are Euclidean in 8-bit encoded RGB, 0..442.
"""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray


@njit(nogil=True, cache=True, parallel=True, fastmath=True)
def _pick(image, flags, near, far, normalize, out):  # type: ignore[no-untyped-def]
    count = flags.shape[0]
    width = image.shape[1]
    for row in prange(image.shape[0]):
        values = np.zeros(count, np.float32)
        codes = np.zeros(count, np.uint8)
        last_r, last_g, last_b = -1, -1, -1
        for column in range(width):
            r, g, b = np.int32(image[row, column, 0]), np.int32(image[row, column, 1]), np.int32(image[row, column, 2])
            # ID maps are runs of one color: the answer for the previous texel is nearly always right.
            if r != last_r or g != last_g or b != last_b:
                last_r, last_g, last_b = r, g, b
                total = np.float32(0)
                for k in range(count):
                    dr, dg, db = r - flags[k, 0], g - flags[k, 1], b - flags[k, 2]
                    distance = np.sqrt(np.float32(dr * dr + dg * dg + db * db))
                    span = far[k] - near[k]
                    if distance <= near[k]:
                        v = np.float32(1)
                    elif distance >= far[k] or span <= 0:
                        v = np.float32(0)
                    else:
                        v = (far[k] - distance) / span
                    values[k] = v
                    total += v
                scale = np.float32(255) / total if normalize and total > 1 else np.float32(255)
                room = 255
                for k in range(count):
                    code = int(values[k] * scale + np.float32(0.5))
                    if normalize:
                        code = min(code, room)
                        room -= code
                    codes[k] = code
            for k in range(count):
                out[k, row, column] = codes[k]


def pick_coverages(
    image: NDArray[np.uint8], colors: list[tuple[int, int, int]], near: list[float], far: list[float], *, normalize: bool = True
) -> NDArray[np.uint8]:
    """Coverages of several flags at once: uint8 (flags, height, width), 255 is full.

    image: uint8 (height, width, 3). near, far: one value per flag, 0..442. With `normalize` the coverages of a texel
    sum to at most 255; where they would exceed it they are divided by their sum.
    """
    out = np.empty((len(colors), *image.shape[:2]), np.uint8)
    if colors:
        _pick(
            np.ascontiguousarray(image), np.array(colors, np.int32).reshape(-1, 3),
            np.array(near, np.float32), np.array(far, np.float32), normalize, out,
        )  # fmt: skip
    return out
