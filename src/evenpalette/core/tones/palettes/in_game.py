"""What filtering, mip levels and compression do to index art, and three ways in which it survives.

Look up, then filter: the texels around are fetched, each is looked up, and the colors are blended; two levels likewise.
True mips: every level of the index texture is indexed anew from the colored picture's own level. Ordered palette: the
entries lie along a short path, so that what a filter makes between two levels is a color between the two.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_srgb, decode_srgb_8bit
from evenpalette.core.errors import ImageFileError
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.game import F32, PLAIN, Reads, Sampled, Setting, drawn, level_bytes, truth
from evenpalette.core.raster.game_ways import LEVELS, Seen, Way, measure_ways
from evenpalette.core.raster.mips import mip_chain
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.tones.palettes.census import codes_of
from evenpalette.core.tones.palettes.mapping import map_codes
from evenpalette.core.tones.palettes.path import meetings, short_path
from evenpalette.core.tones.palettes.strip import entries_of_levels, index_raster, levels_of, palettes_of, restore


def _entry_colors(values: F32, palette: NDArray[np.uint8], *, smooth: bool = False, repeats: bool = False) -> F32:
    """Colors, linear, of filtered levels 0..1: the nearest entry's, or between the two nearest as a filtered strip gives."""
    count = len(palette)
    place = values * np.float32(count - 1)
    light = decode_srgb_8bit(palette[:, :3])
    if not smooth:
        return np.take(light, np.floor(np.clip(place + 0.5, 0, count - 0.5)).astype(np.int64), axis=0)
    low = np.floor(place).astype(np.int64)
    share = (place - low)[..., None]
    if repeats:
        # A strip that wraps, looked up by the level itself: the ends run into each other.
        place = values * np.float32(count) - np.float32(0.5)
        low = np.floor(place).astype(np.int64)
        share = (place - low)[..., None]
        return np.asarray(light[low % count] * (1 - share) + light[(low + 1) % count] * share, np.float32)
    return np.asarray(light[np.clip(low, 0, count - 1)] * (1 - share) + light[np.clip(low + 1, 0, count - 1)] * share, np.float32)


def true_mips(colored: Raster, palette: NDArray[np.uint8]) -> list[Raster]:
    """An index texture for every level of a colored picture, each texel the entry nearest to that level's color."""
    return [index_raster(map_codes(codes_of(level, alpha=False), palette[:, :3]), len(palette)) for level in mip_chain(colored).levels]


def look_up_then_filter(levels: list[Raster], palette: NDArray[np.uint8], distance: float, stride: int = 1) -> F32:
    """Each of the texels that a trilinear read needs looked up, then blended in linear light."""
    colored = [restore(level, _strip(palette)) for level in levels]
    texture = Sampled(colored[0], Setting(PLAIN, Reads.TRILINEAR, mips=False, repeats=False))
    texture.levels = [np.ascontiguousarray(level.as_linear()[..., :3]) for level in colored]
    return drawn(texture, distance, stride)


def _strip(palette: NDArray[np.uint8]) -> Raster:
    return Raster(np.ascontiguousarray(palette[None]), Encoding.SRGB)


def _index_bytes(levels: list[Raster], palette: NDArray[np.uint8], form: str = PLAIN) -> int:
    return sum(level_bytes(level.width, level.height, 1, form) for level in levels) + len(palette) * 4


def reordered(index: Raster, palette: NDArray[np.uint8]) -> tuple[Raster, NDArray[np.uint8]]:
    """The same picture with its palette along a short path."""
    other, path = along_path(index, palette)
    return other, np.ascontiguousarray(palette[path])


def along_path(index: Raster, palette: NDArray[np.uint8]) -> tuple[Raster, NDArray[np.int64]]:
    """The index for a palette that is put along a short path, and the old entry in each new place."""
    entries = np.take(entries_of_levels(len(palette)), levels_of(index))
    path = short_path(palette, meetings(entries, len(palette)))
    rank = np.empty(len(path), np.uint8)
    rank[path] = np.arange(len(path))
    return index_raster(rank[entries], len(palette)), path


def ways(index: Raster, palette: NDArray[np.uint8], source: Raster) -> list[Way]:
    """Every way that is measured, the naive ones first, the honest alternative in plain color last."""
    index = Raster(levels_of(index)[..., None], Encoding.DATA)
    colored = restore(index, _strip(palette))
    chain = list(mip_chain(index).levels)
    other_index, other_palette = reordered(index, palette)
    other_chain = list(mip_chain(other_index).levels)
    true = true_mips(colored, palette)

    def read(raster: Raster, setting: Setting, palette: NDArray[np.uint8], *, smooth: bool = False, repeats: bool = False, wrong: bool = False) -> Callable[[float, int], F32]:
        texture = Sampled(raster, setting)

        def draw(distance: float, stride: int) -> F32:
            values = drawn(texture, distance, stride)[..., 0]
            if wrong:
                values = decode_srgb(np.clip(values, 0, 1))
            return _entry_colors(values, palette, smooth=smooth, repeats=repeats)

        return draw

    def read_true(distance: float, stride: int) -> F32:
        texture = Sampled(true[0], Setting(PLAIN, Reads.NEAREST, mips=False, repeats=False))
        texture.levels = [level.as_unit() for level in true]
        return _entry_colors(drawn(texture, distance, stride)[..., 0], palette)

    nearest = Setting(PLAIN, Reads.NEAREST, mips=False, repeats=False)
    full, plain = Setting(PLAIN, Reads.TRILINEAR, repeats=False), _index_bytes([index], palette)
    mips, packed = _index_bytes(chain, palette), _index_bytes(chain, palette, "BC4")
    found = [
        Way("index, nearest, no mips", 2, plain, read(index, nearest, palette), offered=False),
        Way("index, bilinear, no mips", 2, plain, read(index, Setting(PLAIN, Reads.BILINEAR, mips=False, repeats=False), palette), offered=False),
        Way("index, trilinear, mips", 2, mips, read(index, full, palette), offered=False),
        Way("index, trilinear, mips, strip filtered", 2, mips, read(index, full, palette, smooth=True), offered=False),
        Way("index, nearest, strip repeats", 2, plain, read(index, nearest, palette, smooth=True, repeats=True), offered=False),
        Way("index, nearest, sRGB flag", 2, plain, read(index, nearest, palette, wrong=True), offered=False),
        Way("index, BC4, nearest", 2, packed, read(index, Setting("BC4", Reads.NEAREST, repeats=False), palette), offered=False),
        Way("index, BC4, trilinear, mips", 2, packed, read(index, Setting("BC4", Reads.TRILINEAR, repeats=False), palette), offered=False),
        Way("look up, then filter", 16, mips, lambda distance, stride: look_up_then_filter(true, palette, distance, stride)),
        Way("true mips, nearest", 2, mips, read_true),
        Way("ordered palette, trilinear, mips, strip filtered", 2, mips, read(other_index, full, other_palette, smooth=True)),
        Way("ordered palette, BC4, trilinear, mips, strip filtered", 2, _index_bytes(other_chain, palette, "BC4"),
            read(other_index, Setting("BC4", Reads.TRILINEAR, repeats=False), other_palette, smooth=True)),
    ]  # fmt: skip
    for form in (PLAIN, "BC1", "BC7"):
        texture = Sampled(_opaque(source), Setting(form, Reads.TRILINEAR, repeats=False))
        found.append(Way(f"color, {form}, trilinear, mips", 1, texture.bytes_in_memory, lambda d, stride, t=texture: drawn(t, d, stride)[..., :3]))  # type: ignore[misc]
    return found


def _opaque(source: Raster) -> Raster:
    return Raster(codes_of(source, alpha=False), Encoding.SRGB)


def measure_index_art(
    index: Raster, strip: Raster, source: Raster, row: int = 0, levels: tuple[int, ...] = LEVELS, progress: Progress = no_progress
) -> list[Seen]:
    """What each way leaves of the source at each level, beside its bytes. Level 0 is seen from twice as near.

    source: the colored picture, of the same size. Raises ImageFileError where sizes differ or there is no such row.
    """
    found = index_ways(index, strip, source, row)
    source = _opaque(source)
    return measure_ways(found, source, lambda d, stride: truth(source, d, stride)[..., :3], levels, progress)


def index_ways(index: Raster, strip: Raster, source: Raster, row: int = 0) -> list[Way]:
    """The ways of index art by a row of its strip. Raises ImageFileError."""
    if source.size != index.size:
        raise ImageFileError(f"The source is {source.width} by {source.height} texels, the index {index.width} by {index.height}: they are not of one picture.")
    rows = palettes_of(strip)
    if not 0 <= row < len(rows):
        raise ImageFileError(f"There is no row {row}: the strip has rows 0 to {len(rows) - 1}.")
    return ways(index, rows[row][:, :3], source)
