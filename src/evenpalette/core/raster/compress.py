"""Block compression as GPUs read it: what a picture is after it was packed and unpacked.

Formats: Khronos Data Format Specification 1.3, S3TC (BC1, BC3), RGTC (BC4, BC5) and BPTC (BC7).
"""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.parallel import run_over

#: Bytes of one texel by format.
BYTES_PER_TEXEL = {"BC1": 0.5, "BC3": 1.0, "BC4": 0.5, "BC5": 1.0, "BC7": 1.0}


#: Texels that are packed at once.
_BAND_TEXELS = 1 << 18


def pack(pixels: NDArray[np.uint8], form: str, *, is_color: bool = False) -> bytes:
    """Blocks of an RGBA picture, uint8 (height, width, 4), sides multiples of 4. BC4 keeps the red
    channel, BC5 red and green."""
    height, width = pixels.shape[:2]
    if height % 4 or width % 4:
        raise ValueError(f"blocks are 4 by 4 texels; {width} by {height} does not divide")
    # Blocks know nothing of each other: a band of them at a time, beside each other.
    rows = max(4, _BAND_TEXELS // width // 4 * 4)
    bands: dict[int, bytes] = {}

    def band(top: int) -> None:
        bands[top] = _packed(pixels[top : top + rows], form, is_color=is_color)

    run_over(range(0, height, rows), band)
    return b"".join(bands[top] for top in sorted(bands))


def _packed(pixels: NDArray[np.uint8], form: str, *, is_color: bool) -> bytes:
    import etcpak

    height, width = pixels.shape[:2]
    data = np.ascontiguousarray(pixels).tobytes()
    if form == "BC7":
        settings = etcpak.BC7CompressBlockParams()
        if is_color:
            settings.init_perceptual_weights()
        else:
            # Masks are data: all channels count alike.
            settings.init_linear_weights()
        return bytes(etcpak.compress_bc7(data, width, height, settings))
    return bytes(
        {
            "BC1": etcpak.compress_bc1,
            "BC3": etcpak.compress_bc3,
            "BC4": etcpak.compress_bc4,
            "BC5": etcpak.compress_bc5,
        }[form](data, width, height)
    )


def unpack(blocks: bytes, width: int, height: int, form: str) -> NDArray[np.uint8]:
    """The picture of blocks, uint8 (height, width, 4); BC4 in the red channel, BC5 in red and
    green."""
    import texture2ddecoder

    decode = {
        "BC1": texture2ddecoder.decode_bc1, "BC3": texture2ddecoder.decode_bc3, "BC4": texture2ddecoder.decode_bc4,
        "BC5": texture2ddecoder.decode_bc5, "BC7": texture2ddecoder.decode_bc7,
    }[form]  # fmt: skip
    bgra = np.frombuffer(decode(blocks, width, height), np.uint8).reshape(height, width, 4)
    return np.ascontiguousarray(bgra[..., [2, 1, 0, 3]])


def packed_and_back(pixels: NDArray[np.uint8], form: str, *, is_color: bool = False) -> NDArray[np.uint8]:
    """An RGBA picture, uint8 (height, width, 4), as the GPU reads it after packing; any size."""
    height, width = pixels.shape[:2]
    whole = np.pad(pixels, ((0, -height % 4), (0, -width % 4), (0, 0)), mode="edge")
    return unpack(pack(whole, form, is_color=is_color), whole.shape[1], whole.shape[0], form)[:height, :width]
