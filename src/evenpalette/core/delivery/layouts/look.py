"""A file of a layout as it will be written, looked at before it is: its pixels, what blocks leave of them, bytes."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.layouts.planes import Surface, is_float, is_srgb
from evenpalette.core.delivery.layouts.write import content_of, file_layers, file_size, filled_for
from evenpalette.core.document.layout_model import LayoutFile
from evenpalette.core.document.state import State
from evenpalette.core.raster.compress import packed_and_back
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.raster.reading import unit_values
from evenpalette.core.raster.texture_unit import chain_bytes

#: A look is made at most so large; bytes of larger files are those of the look, times as many texels.
LONGEST = 1024


@dataclass(frozen=True)
class FileLook:
    """plain: before block compression, written: after it, the same where there is none; uint8 pictures, (height, width,
    3), of the first layer. channels: what each channel holds as written, by layer and letter, uint8 (height, width).
    size: of the whole file, (width, height).
    disk, memory: bytes of the whole file, and of its texture with the mip levels that it has. exact: whether the file
    was made at its own size. mean, worst: by how many 8-bit codes blocks change a channel, () without blocks."""

    plain: Raster
    written: Raster
    channels: Mapping[tuple[str, str], NDArray[np.uint8]]
    size: tuple[int, int]
    disk: int
    memory: int
    exact: bool
    mean: tuple[float, ...] = ()
    worst: tuple[int, ...] = ()


def look_at(state: State, file: LayoutFile, variant: str | None, longest: int = 0) -> FileLook:
    """Make one file of those that a line of a layout makes: of this variant, and of the first region and division.
    longest: side of files that say no size. Raises LayoutError, ImageFileError."""
    regions = state.project.regions
    words = {"region": regions.regions[0].name if regions.regions else "", "division": regions.divisions[0].name}
    file = filled_for(file, words)
    whole = file_size(state, file, longest)
    share = min(1.0, LONGEST / max(whole))
    size = max(1, round(whole[0] * share)), max(1, round(whole[1] * share))
    surface = Surface(state, variant, size)
    layers = file_layers(surface, file)
    held = {name: quantize(unit_values(pixels), np.dtype(np.uint8)) for name, pixels in layers.items()}
    stored = left = next(iter(held.values()))
    mean: tuple[float, ...] = ()
    worst: tuple[int, ...] = ()
    if file.compression not in ("none", "bc6h"):
        rgba = np.zeros((*stored.shape[:2], 4), np.uint8)
        rgba[..., 3] = 255
        rgba[..., : stored.shape[2]] = stored
        back = packed_and_back(rgba, file.compression.upper(), is_color=is_srgb(state, file))
        left = np.ascontiguousarray(back[..., : stored.shape[2]])
        apart = np.abs(left.astype(np.int16) - stored)
        mean = tuple(float(v) for v in apart.mean((0, 1)))
        worst = tuple(int(v) for v in apart.max((0, 1)))
    texels = whole[0] * whole[1] / (size[0] * size[1])
    form = file.compression.upper() if file.compression != "none" else "uncompressed"
    wide = file.bits // 8 if form == "uncompressed" else 1
    memory = chain_bytes(whole, file.channel_count, "BC7" if form == "BC6H" else form, mips=file.mips) * wide
    content = content_of(surface, file, layers)
    channels = {
        (name, "rgba"[k]): np.ascontiguousarray((left if part is stored else part)[..., k])
        for name, part in held.items()
        for k in range(part.shape[2])
    }
    many = sum(part.shape[2] for part in held.values()) / file.channel_count
    return FileLook(
        _shown(stored, file), _shown(left, file), channels, whole, round(len(content) * texels), round(memory * many), texels == 1, mean, worst,
    )  # fmt: skip


def _shown(stored: NDArray[np.uint8], file: LayoutFile) -> Raster:
    """The file's colors as they are stored, so that data looks as a picture of it does; floats by their sRGB code."""
    return Raster(as_color(stored), Encoding.DATA if is_float(file) else Encoding.SRGB)


def as_color(pixels: NDArray) -> NDArray:
    """Channels (height, width, 1 to 4) as a picture of three: one is gray, two are red and green, alpha is left out."""
    color = np.repeat(pixels, 3, 2) if pixels.shape[2] == 1 else pixels[..., :3]
    if color.shape[2] == 2:
        color = np.concatenate([color, np.zeros_like(color[..., :1])], 2)
    return np.ascontiguousarray(color)
