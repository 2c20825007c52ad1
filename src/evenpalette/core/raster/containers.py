"""Textures as games load them: DDS and KTX2, with mip levels, block compressed or not.

DDS: Microsoft, "Programming Guide for DDS" and the DXGI_FORMAT enumeration. KTX2: Khronos, "KTX File Format
Specification" 2.0, with a basic data format descriptor of the Khronos Data Format Specification 1.3. Numbers of both
are from memory; files are read back by programs that are not ours.
"""

import struct
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import ImageFileError
from evenpalette.core.raster.bc6h import pack_bc6h
from evenpalette.core.raster.compress import pack

COMPRESSIONS = ("none", "bc1", "bc3", "bc4", "bc5", "bc6h", "bc7")
#: By compression: DXGI and Vulkan number for data, for sRGB (0: there is none), bytes of a block, model of the
#: descriptor.
_BLOCKS = {
    "bc1": (71, 72, 133, 134, 8, 128), "bc3": (77, 78, 137, 138, 16, 130), "bc4": (80, 0, 139, 0, 8, 131), "bc5": (83, 0, 141, 0, 16, 132),
    "bc6h": (95, 0, 143, 0, 16, 133), "bc7": (98, 99, 145, 146, 16, 134),
}  # fmt: skip
#: By channels and bits: the same for texels as they are.
_PLAIN = {
    (1, 8): (61, 0, 9, 15), (2, 8): (49, 0, 16, 22), (4, 8): (28, 29, 37, 43), (1, 16): (56, 0, 70, 0), (2, 16): (35, 0, 77, 0),
    (4, 16): (11, 0, 91, 0), (1, 32): (41, 0, 100, 0), (2, 32): (16, 0, 103, 0), (4, 32): (2, 0, 109, 0),
}  # fmt: skip
_KTX = b"\xabKTX 20\xbb\r\n\x1a\n"


@dataclass(frozen=True)
class Levels:
    """Mip levels as they are stored, the largest first. size: (width, height) of the first. channels, bits: of texels
    as they are; compression: a key of COMPRESSIONS."""

    content: tuple[bytes, ...]
    size: tuple[int, int]
    channels: int
    bits: int
    srgb: bool
    compression: str = "none"


def stored_levels(levels: Sequence[NDArray], *, srgb: bool, compression: str = "none") -> Levels:
    """Pixels of each level, (height, width, channels) uint8, uint16 or float32, as they are stored. Block compression
    takes uint8, BC6H float32. Raises ImageFileError."""
    first = levels[0]
    size, channels = (first.shape[1], first.shape[0]), first.shape[2]
    if compression == "none":
        wide = 4 if channels == 3 else channels
        content = tuple(_filled(level, wide).tobytes() for level in levels)
        return Levels(content, size, wide, first.dtype.itemsize * 8, srgb)
    if compression == "bc6h":
        content = tuple(pack_bc6h(_in_blocks(np.asarray(level[..., :3], np.float32))) for level in levels)
        return Levels(content, size, 4, 16, False, compression)
    if first.dtype != np.uint8:
        raise ImageFileError(f"{compression.upper()} takes 8 bits a channel, not {first.dtype.itemsize * 8}.")
    need = {"bc4": 1, "bc5": 2}.get(compression)
    if need is not None and channels > need:
        raise ImageFileError(f"{compression.upper()} holds {need} channel{'s' * (need > 1)}, not {channels}.")
    content = tuple(pack(_in_blocks(_filled(level, 4)), compression.upper(), is_color=srgb) for level in levels)
    return Levels(content, size, 4, 8, srgb and compression not in ("bc4", "bc5"), compression)


def _filled(level: NDArray, channels: int) -> NDArray:
    """With so many channels: those that are missing are 0, alpha is 1."""
    if level.shape[2] == channels:
        return np.ascontiguousarray(level)
    one = 1.0 if level.dtype == np.float32 else np.iinfo(level.dtype).max
    made = np.zeros((*level.shape[:2], channels), level.dtype)
    made[..., : min(level.shape[2], channels)] = level[..., :channels]
    if channels == 4 and level.shape[2] < 4:
        made[..., 3] = one
    return made


def _in_blocks(level: NDArray) -> NDArray:
    height, width = level.shape[:2]
    if height % 4 == 0 and width % 4 == 0:
        return level
    return np.pad(level, ((0, -height % 4), (0, -width % 4), (0, 0)), mode="edge")


def dds_bytes(levels: Levels) -> bytes:
    """A DDS file with the header of DirectX 10."""
    width, height = levels.size
    is_block = levels.compression != "none"
    if is_block:
        plain, srgb, _, _, block, _ = _BLOCKS[levels.compression]
        pitch = max(1, (width + 3) // 4) * max(1, (height + 3) // 4) * block
    else:
        plain, srgb, _, _ = _PLAIN[levels.channels, levels.bits]
        pitch = width * levels.channels * levels.bits // 8
    form = srgb if levels.srgb and srgb else plain
    many = len(levels.content)
    # Caps, height, width, pixel format; pitch or linear size; the number of levels.
    flags = 0x1 | 0x2 | 0x4 | 0x1000 | (0x80000 if is_block else 0x8) | (0x20000 if many > 1 else 0)
    caps = 0x1000 | (0x400008 if many > 1 else 0)
    head = struct.pack("<4sIIIIIII44x", b"DDS ", 124, flags, height, width, pitch, 0, many)
    head += struct.pack("<II4s20x", 32, 0x4, b"DX10") + struct.pack("<IIIII", caps, 0, 0, 0, 0)
    head += struct.pack("<IIIII", form, 3, 0, 1, 0)
    return head + b"".join(levels.content)


def ktx2_bytes(levels: Levels, *, zstd: bool = False) -> bytes:
    """A KTX2 file. zstd: supercompressed with Zstandard."""
    width, height = levels.size
    if levels.compression != "none":
        _, _, plain, srgb, block, _ = _BLOCKS[levels.compression]
    else:
        _, _, plain, srgb = _PLAIN[levels.channels, levels.bits]
        block = levels.channels * levels.bits // 8
    form = srgb if levels.srgb and srgb else plain
    stored = levels.content
    if zstd:
        import imagecodecs

        stored = tuple(bytes(imagecodecs.zstd_encode(level, level=15)) for level in levels.content)
    descriptor = _descriptor(levels, block)
    count = len(levels.content)
    at_descriptor = 80 + 24 * count
    at = at_descriptor + len(descriptor)
    align = 1 if zstd else int(np.lcm(block, 4))
    body, index = b"", [(0, 0, 0)] * count
    # The smallest level comes first.
    for level in range(count - 1, -1, -1):
        body += b"\0" * (-(at + len(body)) % align)
        index[level] = (at + len(body), len(stored[level]), len(levels.content[level]))
        body += stored[level]
    size = 1 if levels.compression != "none" else levels.bits // 8
    head = _KTX + struct.pack("<IIIIIIIII", form, size, width, height, 0, 0, 1, count, 2 if zstd else 0)
    head += struct.pack("<IIIIQQ", at_descriptor, len(descriptor), 0, 0, 0, 0)
    return head + b"".join(struct.pack("<QQQ", *entry) for entry in index) + descriptor + body


def _descriptor(levels: Levels, block: int) -> bytes:
    """The data format descriptor: what each bit of a texel or block is."""
    is_block, transfer = levels.compression != "none", 2 if levels.srgb else 1
    top, one = 0xFFFFFFFF, 0x3F800000
    samples: list[tuple[int, int, int, int, int]] = []
    if is_block:
        bits, model = block * 8, _BLOCKS[levels.compression][5]
        if levels.compression == "bc3":
            samples = [(0, 64, 15, 0, top), (64, 64, 0, 0, top)]
        elif levels.compression == "bc5":
            samples = [(0, 64, 0, 0, top), (64, 64, 1, 0, top)]
        elif levels.compression == "bc6h":
            samples = [(0, bits, 0 | 0x80, 0, one)]
        else:
            # The alpha of BC1 is one bit of its color.
            samples = [(0, bits, 1 if levels.compression == "bc1" else 0, 0, top)]
    else:
        model = 1
        for k in range(levels.channels):
            kind = 15 if k == 3 else k
            if levels.bits == 32:
                samples.append((k * 32, 32, kind | 0xC0, 0xBF800000, one))
            else:
                # Alpha is never encoded.
                qualifier = 0x10 if k == 3 and levels.srgb else 0
                samples.append((k * levels.bits, levels.bits, kind | qualifier, 0, (1 << levels.bits) - 1))
    size = 24 + 16 * len(samples)
    side = 3 if is_block else 0
    made = struct.pack("<III", 4 + size, 0, 2 | size << 16) + struct.pack("<BBBB", model, 1, transfer, 0)
    made += struct.pack("<BBBB", side, side, 0, 0) + struct.pack("<8B", block, 0, 0, 0, 0, 0, 0, 0)
    for offset, length, kind, low, high in samples:
        made += struct.pack("<HBB4BII", offset, length - 1, kind, 0, 0, 0, 0, low, high)
    return made
