"""A texture of the project as a game sees it: every way to store and read it, what each leaves, and which to take."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.color.encoding import F32, decode_srgb, encode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.strips import levels_of
from evenpalette.core.raster.texture_formats import Advice, Seen, Way, advise, measure_ways, ways_of
from evenpalette.core.raster.texture_unit import truth
from evenpalette.core.tones.palettes.index_filtering import index_ways
from evenpalette.core.tones.palettes.strip import restore

#: The CIEDE2000 that is drawn as white in a picture of differences.
LOUDEST = 10.0


@dataclass(frozen=True)
class Measured:
    """A texture with its ways and what each leaves. picture: what the ways are measured against."""

    picture: Raster
    ways: tuple[Way, ...]
    found: tuple[Seen, ...]
    advice: Advice

    @property
    def is_color(self) -> bool:
        """Whether the picture is color, not data."""
        return self.picture.encoding is not Encoding.DATA

    def way(self, name: str) -> Way:
        """The way of that name. Raises EvenPaletteError."""
        found = next((way for way in self.ways if way.name == name), None)
        if found is None:
            raise EvenPaletteError(f"'{name}' was not measured.")
        return found


def measure_texture(state: State, texture_id: str, row: int = 0, progress: Progress = no_progress) -> Measured:
    """Index art by a row of its strip, everything else by the settings that a game might choose. Raises
    EvenPaletteError."""
    texture, raster = state.project.asset.texture(texture_id), state.textures.get(texture_id)
    if texture is None or raster is None:
        raise EvenPaletteError("That texture is no longer in the project.")

    def first(share: float) -> None:
        progress(share * 0.5)

    if texture.strip in state.textures:
        strip = state.textures[texture.strip]
        index = Raster(levels_of(raster)[..., None], Encoding.DATA)
        picture = restore(index, strip, row)
        ways = index_ways(index, strip, picture, row)
        picture = Raster(np.ascontiguousarray(picture.pixels[..., :3]), picture.encoding)
    else:
        picture, ways = raster, ways_of(raster, progress=first)
    found = measure_ways(ways, picture, _truth_of(picture), progress=lambda share: progress(0.5 + share * 0.5))
    advice = advise(ways, found)
    if texture.strip in state.textures:
        advice = _with_index(advice, ways, found)
    return Measured(picture, tuple(ways), tuple(found), advice)


def _with_index(advice: Advice, ways: list[Way], found: list[Seen]) -> Advice:
    """What index art is worth beside plain color: only it can take on other rows of its strip."""
    index = [way for way in ways if not way.name.startswith("color,")]
    if not advice.name.startswith("color,"):
        return replace(advice, reasons=(*advice.reasons, "And its strip can have other rows."))
    best = advise(index, found)
    worst = max(seen.mean_ciede2000 for seen in found if seen.setting == best.name and seen.level)
    chosen = next(way for way in index if way.name == best.name)
    text = f"To take on other rows: {best.name}, {worst:.2f} for {chosen.bytes:,} bytes and {chosen.fetches} fetches."
    return replace(advice, reasons=(advice.reasons[0], text, *advice.reasons[1:]))


def _truth_of(picture: Raster) -> Callable[[float, int], F32]:
    return lambda distance, stride: truth(picture, distance, stride)


@dataclass(frozen=True)
class Pictures:
    """What is seen from a distance, uint8 (height, width, 3): the truth, the way, and their CIEDE2000, LOUDEST is
    white."""

    wanted: NDArray[np.uint8]
    seen: NDArray[np.uint8]
    difference: NDArray[np.uint8]
    mean: float


def pictures_of(measured: Measured, name: str, distance: float) -> Pictures:
    """The pictures of a way from 2^distance times further away than where a texel is a pixel."""
    way = measured.way(name)
    wanted, seen = (_rgb(picture) for picture in (truth(measured.picture, distance), way.draw(distance, 1)))
    light = [picture if measured.is_color else decode_srgb(picture) for picture in (wanted, seen)]
    difference = difference_of_linear(*(np.ascontiguousarray(picture, np.float32) for picture in light))
    gray = np.rint(np.clip(difference / LOUDEST, 0, 1) * 255).astype(np.uint8)
    codes = [
        np.rint((encode_srgb(picture) if measured.is_color else picture) * 255).astype(np.uint8)
        for picture in (wanted, seen)
    ]
    return Pictures(codes[0], codes[1], np.repeat(gray[..., None], 3, -1), float(difference.mean()))


def _rgb(picture: F32) -> F32:
    color = picture[..., :3] if picture.shape[2] >= 3 else np.repeat(picture[..., :1], 3, -1)
    return np.clip(color, 0, 1)
