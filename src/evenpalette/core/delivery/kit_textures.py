"""The textures of a kit: what is stored, and how a game sets each of them up."""

import hashlib

import numpy as np

from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.kit_model import KitTexture
from evenpalette.core.delivery.layout import PlannedTexture, planned_textures
from evenpalette.core.document.state import State
from evenpalette.core.raster.image_write import encode_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.shader_text import ShaderText


@dataclass(frozen=True)
class StoredTexture:
    """A texture of the kit as bytes of its file, and what is said of it."""

    said: KitTexture
    content: bytes


def kit_textures(state: State, shader: ShaderText, longest: int = 0) -> list[StoredTexture]:
    """The textures that a shader reads, in the order of its samplers. longest: side in texels, 0 as they are."""
    wraps = leaves_tile(state)
    return [_stored(planned, wraps, longest) for planned in planned_textures(state, shader)]


def _stored(planned: PlannedTexture, wraps: bool, longest: int) -> StoredTexture:
    raster = planned.raster.thumbnail(longest) if longest > 0 and not planned.exact else planned.raster
    content = encode_image(raster, _ending(raster))
    return StoredTexture(said_of(planned, raster, wraps, hashlib.sha256(content).hexdigest()), content)


def _ending(raster: Raster) -> str:
    return ".exr" if raster.pixels.dtype == np.float32 else ".png"


def said_of(planned: PlannedTexture, raster: Raster, wraps: bool, sha256: str = "") -> KitTexture:
    """What is said of a texture whose pixels these are. wraps: whether UVs leave the first tile. sha256: of its
    file."""
    return KitTexture(
        sampler=planned.sampler,
        file=planned.stem + _ending(raster),
        # Gray with alpha is stored as four channels: few formats of games have two.
        channels=4 if raster.channels == 2 else raster.channels,
        bits=raster.pixels.dtype.itemsize * 8,  # type: ignore[arg-type]
        encoding="srgb" if raster.encoding is Encoding.SRGB and raster.pixels.dtype != np.float32 else "data",
        alpha="data" if raster.channels in (2, 4) else "none",
        wrap="repeat" if planned.repeats or wraps else "clamp",
        filter="nearest" if planned.exact else "linear",
        mips=not planned.exact,
        size=raster.size,
        sha256=sha256,
        holds=planned.holds,
        reads=planned.reads(raster.channels),
        regions=list(planned.planes),
        parameter=planned.parameter,
        choice=planned.choice,
    )


def leaves_tile(state: State) -> bool:
    """Whether UVs go beyond the first tile, so that textures must repeat."""
    uvs = state.mesh.mesh.uvs if state.mesh is not None else None
    return uvs is not None and bool((uvs.max() > 1 + 1e-4) or (uvs[uvs >= 0].min(initial=0) < 0))
