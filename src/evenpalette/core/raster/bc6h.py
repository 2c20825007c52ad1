"""BC6H, unsigned: light beyond white in blocks, by its one mode of a single line of colors with ten bits at its ends.

Microsoft, "BC6H Format", mode 11 (bits 00011), from memory; read back by a decoder that is not ours.
"""

import numpy as np
from numpy.typing import NDArray

_WEIGHTS = np.array([0, 4, 9, 13, 17, 21, 26, 30, 34, 38, 43, 47, 51, 55, 60, 64], np.int64)
_MOST = 65504.0


def pack_bc6h(pixels: NDArray[np.float32]) -> bytes:
    """Blocks of linear light (height, width, 3), sides multiples of 4; below 0 is 0."""
    height, width = pixels.shape[:2]
    half = np.clip(pixels, 0, _MOST).astype(np.float16).view(np.uint16).astype(np.int64)
    blocks = half.reshape(height // 4, 4, width // 4, 4, 3).transpose(0, 2, 1, 3, 4).reshape(-1, 16, 3)
    # A line through the colors of each block, in the space of half floats' bits, which is nearly that of the eye.
    mean = blocks.mean(1, keepdims=True)
    spread = blocks - mean
    axis = np.linalg.eigh(spread.transpose(0, 2, 1) @ spread)[1][..., -1]
    along = (spread @ axis[..., None])[..., 0]
    low, high = (mean[:, 0] + axis * end[:, None] for end in (along.min(1), along.max(1)))
    ends = np.stack([_ten_bits(low), _ten_bits(high)], 1)
    ramp = _unpacked(ends)
    steps = (ramp[:, :1] * (64 - _WEIGHTS)[None, :, None] + ramp[:, 1:] * _WEIGHTS[None, :, None] + 32) >> 6
    made = (steps * 31) >> 6
    indices = np.abs(blocks[:, :, None] - made[:, None]).sum(-1).argmin(-1)
    # The first index has three bits: its ends are swapped where it would need a fourth.
    swap = indices[:, 0] > 7
    ends[swap] = ends[swap][:, ::-1]
    indices[swap] = 15 - indices[swap]
    return _packed(ends, indices)


def _ten_bits(values: NDArray) -> NDArray[np.int64]:
    """Half floats' bits as the ends that come nearest to them."""
    return np.clip(np.rint(values * 64 / 31 / 64 - 0.5), 0, 1023).astype(np.int64)


def _unpacked(ends: NDArray[np.int64]) -> NDArray[np.int64]:
    return np.where(ends == 0, 0, np.where(ends == 1023, 0xFFFF, ((ends << 16) + 0x8000) >> 10))


def _packed(ends: NDArray[np.int64], indices: NDArray[np.int64]) -> bytes:
    count = len(ends)
    bits = np.zeros((count, 128), np.uint8)

    def put(at: int, length: int, values: NDArray[np.int64]) -> None:
        for k in range(length):
            bits[:, at + k] = (values >> k) & 1

    put(0, 5, np.full(count, 0b00011))
    for channel in range(3):
        put(5 + channel * 10, 10, ends[:, 0, channel])
        put(35 + channel * 10, 10, ends[:, 1, channel])
    put(65, 3, indices[:, 0])
    for texel in range(1, 16):
        put(64 + texel * 4, 4, indices[:, texel])
    return np.packbits(bits, axis=1, bitorder="little").tobytes()
