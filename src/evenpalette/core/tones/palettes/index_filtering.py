"""What filtering, mip levels and compression do to index art, and three ways in which it survives.

Look up, then filter: the texels around are fetched, each is looked up, and the colors are blended; two levels likewise.
True mips: every level of the index texture is indexed anew from the colored picture's own level. Ordered palette: the
entries lie along a short path, so that what a filter makes between two levels is a color between the two.
"""

import math
from collections.abc import Callable
from functools import partial

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_srgb, decode_srgb_8bit
from evenpalette.core.errors import ImageFileError
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.mips import mip_chain
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.texture_formats import LEVELS, Apart, Seen, Way, apart, distance_of, measure_ways
from evenpalette.core.raster.texture_unit import F32, PLAIN, Filter, Sampled, Setting, chain_bytes, drawn, truth
from evenpalette.core.tones.palettes.census import codes_of
from evenpalette.core.tones.palettes.mapping import map_codes
from evenpalette.core.tones.palettes.path import meetings, short_path
from evenpalette.core.tones.palettes.strip import entries_of_levels, index_raster, levels_of, palettes_of, restore


def _entry_colors(values: F32, palette: NDArray[np.uint8], *, smooth: bool = False, repeats: bool = False) -> F32:
    """Colors, linear, of filtered levels 0..1: the nearest entry's, or between the two nearest as a filtered strip
    gives."""
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
    return np.asarray(
        light[np.clip(low, 0, count - 1)] * (1 - share) + light[np.clip(low + 1, 0, count - 1)] * share, np.float32
    )


def true_mips(colored: Raster, palette: NDArray[np.uint8]) -> list[Raster]:
    """An index texture for every level of a colored picture, each texel the entry nearest to that level's color."""
    return [
        index_raster(map_codes(codes_of(level, alpha=False), palette[:, :3]), len(palette))
        for level in mip_chain(colored).levels
    ]


def look_up_then_filter(levels: list[Raster], palette: NDArray[np.uint8], distance: float, stride: int = 1) -> F32:
    """Each of the texels that a trilinear read needs looked up, then blended in linear light."""
    colored = [restore(level, _strip(palette)) for level in levels]
    texture = Sampled(colored[0], Setting(PLAIN, Filter.TRILINEAR, mips=False, repeats=False))
    texture.levels = [np.ascontiguousarray(level.as_linear()[..., :3]) for level in colored]
    return drawn(texture, distance, stride)


def _colors(texture: Sampled, distance: float, stride: int) -> F32:
    return drawn(texture, distance, stride)[..., :3]


def _strip(palette: NDArray[np.uint8]) -> Raster:
    return Raster(np.ascontiguousarray(palette[None]), Encoding.SRGB)


def _index_bytes(size: tuple[int, int], palette: NDArray[np.uint8], form: str = PLAIN, *, mips: bool = True) -> int:
    return chain_bytes(size, 1, form, mips=mips) + len(palette) * 4


def reordered(index: Raster, palette: NDArray[np.uint8]) -> tuple[Raster, NDArray[np.uint8]]:
    """The same picture with its palette along a short path."""
    other, path = along_path(index, palette)
    return other, np.ascontiguousarray(palette[path])


def along_path(
    index: Raster, palette: NDArray[np.uint8], path: NDArray[np.int64] | None = None
) -> tuple[Raster, NDArray[np.int64]]:
    """The index for a palette that is put along a short path, and the old entry in each new place. path: where it is
    known."""
    entries = np.take(entries_of_levels(len(palette)), levels_of(index))
    if path is None:
        path = short_path(palette, meetings(entries, len(palette)))
    rank = np.empty(len(path), np.uint8)
    rank[path] = np.arange(len(path))
    return index_raster(rank[entries], len(palette)), path


def ways(
    index: Raster, palette: NDArray[np.uint8], source: Raster, *, whole: tuple[int, int] | None = None, path: NDArray[np.int64] | None = None
) -> list[Way]:  # fmt: skip
    """Every way that is measured, the naive ones first, the honest alternative in plain color last.

    whole, path: the size of the texture and the short path of its palette, where this is a part of it.
    """
    size = whole or index.size
    index = Raster(levels_of(index)[..., None], Encoding.DATA)
    colored = restore(index, _strip(palette))
    other_index, path = along_path(index, palette, path)
    other_palette = np.ascontiguousarray(palette[path])
    true = true_mips(colored, palette)

    def read(
        raster: Raster,
        setting: Setting,
        palette: NDArray[np.uint8],
        *,
        smooth: bool = False,
        repeats: bool = False,
        wrong: bool = False,
    ) -> Callable[[float, int], F32]:
        texture = Sampled(raster, setting)

        def draw(distance: float, stride: int) -> F32:
            values = drawn(texture, distance, stride)[..., 0]
            if wrong:
                values = decode_srgb(np.clip(values, 0, 1))
            return _entry_colors(values, palette, smooth=smooth, repeats=repeats)

        return draw

    def read_true(distance: float, stride: int) -> F32:
        texture = Sampled(true[0], Setting(PLAIN, Filter.NEAREST, mips=False, repeats=False))
        texture.levels = [level.as_unit() for level in true]
        return _entry_colors(drawn(texture, distance, stride)[..., 0], palette)

    nearest = Setting(PLAIN, Filter.NEAREST, mips=False, repeats=False)
    full, plain = Setting(PLAIN, Filter.TRILINEAR, repeats=False), _index_bytes(size, palette, mips=False)
    mips, packed = _index_bytes(size, palette), _index_bytes(size, palette, "BC4")
    found = [
        Way("index, nearest, no mips", 2, plain, read(index, nearest, palette), offered=False),
        Way("index, bilinear, no mips", 2, plain, read(index, Setting(PLAIN, Filter.BILINEAR, mips=False, repeats=False), palette), offered=False),
        Way("index, trilinear, mips", 2, mips, read(index, full, palette), offered=False),
        Way("index, trilinear, mips, strip filtered", 2, mips, read(index, full, palette, smooth=True), offered=False),
        Way("index, nearest, strip repeats", 2, plain, read(index, nearest, palette, smooth=True, repeats=True), offered=False),
        Way("index, nearest, sRGB flag", 2, plain, read(index, nearest, palette, wrong=True), offered=False),
        Way("index, BC4, nearest", 2, packed, read(index, Setting("BC4", Filter.NEAREST, repeats=False), palette), offered=False),
        Way("index, BC4, trilinear, mips", 2, packed, read(index, Setting("BC4", Filter.TRILINEAR, repeats=False), palette), offered=False),
        Way("look up, then filter", 16, mips, lambda distance, stride: look_up_then_filter(true, palette, distance, stride)),
        Way("true mips, nearest", 2, mips, read_true),
        Way("ordered palette, trilinear, mips, strip filtered", 2, mips, read(other_index, full, other_palette, smooth=True)),
        Way("ordered palette, BC4, trilinear, mips, strip filtered", 2, packed,
            read(other_index, Setting("BC4", Filter.TRILINEAR, repeats=False), other_palette, smooth=True)),
    ]  # fmt: skip
    for form in (PLAIN, "BC1", "BC7"):
        texture = Sampled(_opaque(source), Setting(form, Filter.TRILINEAR, repeats=False))
        found.append(
            Way(
                f"color, {form}, trilinear, mips",
                1,
                chain_bytes(size, 3, form),
                partial(_colors, texture),
            )
        )
    return found


def _opaque(source: Raster) -> Raster:
    return Raster(codes_of(source, alpha=False), Encoding.SRGB)


def measure_index_art(
    index: Raster,
    strip: Raster,
    source: Raster,
    row: int = 0,
    levels: tuple[int, ...] = LEVELS,
    progress: Progress = no_progress,
) -> list[Seen]:
    """What each way leaves of the source at each level, beside its bytes. Level 0 is seen from twice as near.

    source: the colored picture, of the same size. Of large ones parts are looked at, spread over the whole, and the
    standard error of the mean is said. Raises ImageFileError where sizes differ or there is no such row.
    """
    if index.width * index.height > _MOST_WHOLE:
        return _measure_parts(index, _palette_of(index, strip, source, row), source, levels, progress)
    found = index_ways(index, strip, source, row)
    source = _opaque(source)
    return measure_ways(found, source, lambda d, stride: truth(source, d, stride)[..., :3], levels, progress)


#: Texels of a picture that is measured as a whole; the side of a part of a larger one, and what lies around it, so that
#: nothing of its levels reaches beyond; how many parts.
_MOST_WHOLE, _PART, _AROUND, _PARTS = 1 << 21, 64, 32, 80


def _parts(size: tuple[int, int]) -> list[tuple[int, int]]:
    """Left and top of parts, one for each piece of a grid over the picture, where its levels have texels of their
    own."""
    unit = 1 << max(LEVELS)
    width, height = (max(0, side - _PART) for side in size)
    columns = max(1, min(_PARTS, round(math.sqrt(_PARTS * size[0] / size[1]))))
    rows = max(1, _PARTS // columns)
    spots = np.random.default_rng(1).random((rows, columns, 2))
    return [
        (int(width * (x + spots[y, x, 0]) / columns) // unit * unit, int(height * (y + spots[y, x, 1]) / rows) // unit * unit)
        for y in range(rows) for x in range(columns)
    ]  # fmt: skip


def _measure_parts(
    index: Raster, palette: NDArray[np.uint8], source: Raster, levels: tuple[int, ...], progress: Progress
) -> list[Seen]:
    places = _parts(index.size)
    pieces = [_piece(index, place) for place in places]
    entries = entries_of_levels(len(palette))
    met = [meetings(np.take(entries, levels_of(piece)), len(palette)) for piece, _ in pieces]
    path = short_path(palette, np.sum(met, 0))
    found: dict[tuple[str, int], list[tuple[Apart, int]]] = {}
    for done, (place, (piece, inside)) in enumerate(zip(places, pieces, strict=True), 1):
        picture = _opaque(_piece(source, place)[0])
        made = ways(piece, palette, picture, whole=index.size, path=path)
        for level in levels:
            distance = distance_of(level)
            wanted = _within(truth(picture, distance)[..., :3], inside, distance)
            for way in made:
                far = apart(_within(way.draw(distance, 1), inside, distance), wanted, is_color=True)
                found.setdefault((way.name, level), []).append((far, way.bytes))
        progress(done / len(places))
    names = dict.fromkeys(name for name, _ in found)
    return [_pooled(name, level, found[name, level]) for name in names for level in levels]


def _piece(raster: Raster, place: tuple[int, int]) -> tuple[Raster, tuple[int, int, int, int]]:
    """A part with what lies around it, and where the part lies in that: left, top, width, height."""
    left, top = (max(0, at - _AROUND) for at in place)
    right, bottom = (min(side, at + _PART + _AROUND) for side, at in zip(raster.size, place, strict=True))
    width, height = (min(_PART, side - at) for side, at in zip(raster.size, place, strict=True))
    piece = Raster(np.ascontiguousarray(raster.pixels[top:bottom, left:right]), raster.encoding)
    return piece, (place[0] - left, place[1] - top, width, height)


def _within(picture: F32, inside: tuple[int, int, int, int], distance: float) -> F32:
    left, top, width, height = (round(value * 2.0**-distance) for value in inside)
    # From near a texel is seen several times: once says as much.
    step = max(1, round(2.0**-distance))
    return picture[top : top + max(1, height) : step, left : left + max(1, width) : step]


def _pooled(name: str, level: int, parts: list[tuple[Apart, int]]) -> Seen:
    """What the parts say of the whole."""
    units = np.concatenate([far.units for far, _ in parts])
    means = np.array([far.units.mean() for far, _ in parts])
    whole = Apart(units, float(np.mean([far.error for far, _ in parts])))
    spread = float(means.std(ddof=1) / math.sqrt(len(means))) if len(means) > 1 else 0.0
    return Seen(
        name, level, float(units.mean()), float(np.percentile(units, 95)), whole.psnr, parts[0][1], mean_error=spread
    )


def index_ways(index: Raster, strip: Raster, source: Raster, row: int = 0) -> list[Way]:
    """The ways of index art by a row of its strip. Raises ImageFileError."""
    return ways(index, _palette_of(index, strip, source, row), source)


def _palette_of(index: Raster, strip: Raster, source: Raster, row: int) -> NDArray[np.uint8]:
    """A row of a strip, for an index and the picture that it is of. Raises ImageFileError."""
    if source.size != index.size:
        raise ImageFileError(
            f"The source is {source.width} by {source.height} texels, the index {index.width} by {index.height}: they are not of one picture."
        )
    rows = palettes_of(strip)
    if not 0 <= row < len(rows):
        raise ImageFileError(f"There is no row {row}: the strip has rows 0 to {len(rows) - 1}.")
    return rows[row][:, :3]
