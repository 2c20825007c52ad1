"""What BC7 leaves of planes that share a block with strangers, beside what each would keep in a block of its own."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.kit_textures import StoredTexture
from evenpalette.core.raster.compress import packed_and_back
from evenpalette.core.raster.image_read import decode_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.texture_unit import rgba8


@dataclass(frozen=True)
class InBlocks:
    """A plane of a kit's texture. holds: in words. mean, worst: by how many 8-bit codes BC7 changes it together with
    what lies in its texture. alone: mean of BC4, which holds it alone."""

    holds: str
    mean: float
    worst: int
    alone: float


def takes_blocks(texture: StoredTexture) -> bool:
    """Whether a texture may be compressed: what is fetched texel by texel, or has more than 8 bits, is not."""
    return texture.said.filter == "linear" and texture.said.bits == 8


def _some(rgba: NDArray[np.uint8], most: int) -> NDArray[np.uint8]:
    """A picture of so many blocks of another one."""
    down, across = rgba.shape[0] // 4, rgba.shape[1] // 4
    step = 1 if most <= 0 else int(np.ceil(np.sqrt(down * across / most)))
    if step <= 1:
        return rgba
    blocks = rgba[: down * 4, : across * 4].reshape(down, 4, across, 4, 4)[::step, :, ::step]
    return np.ascontiguousarray(blocks.reshape(blocks.shape[0] * 4, blocks.shape[2] * 4, 4))


def in_blocks(textures: Sequence[StoredTexture], most: int = 0) -> list[InBlocks]:
    """Every plane of the textures that may be compressed, the worst first. Measured on the first mip level. most:
    blocks of a texture that are looked at, evenly spread, 0 for all: what becomes of one does not depend on others."""
    found: list[InBlocks] = []
    for texture in textures:
        if not takes_blocks(texture):
            continue
        encoding = Encoding(texture.said.encoding)
        pixels = decode_image(texture.content, texture.said.file)
        rgba = _some(rgba8(Raster(pixels, encoding)), most)
        back = packed_and_back(rgba, "BC7", is_color=encoding is Encoding.SRGB)
        apart = np.abs(back.astype(np.int16) - rgba)
        for read in texture.said.reads:
            for letter in read.channels[:1] if pixels.shape[2] == 1 else read.channels:
                k = "rgba".index(letter)
                gray = np.dstack([rgba[..., k]] * 3 + [np.full_like(rgba[..., k], 255)])
                own = packed_and_back(np.ascontiguousarray(gray), "BC4")[..., 0]
                alone = float(np.abs(own.astype(np.int16) - rgba[..., k]).mean())
                found.append(InBlocks(read.holds, float(apart[..., k].mean()), int(apart[..., k].max()), alone))
    return sorted(found, key=lambda plane: -plane.mean)
