"""Index art of a texture: reduced to a palette, its entries and rows changed, laid by a step."""

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.project import Role, Texture
from evenpalette.core.document.state import State, new_id
from evenpalette.core.edits.asset import add_texture, replace_texture, with_texture
from evenpalette.core.edits.parameters import set_first_row
from evenpalette.core.edits.recipe import add_step
from evenpalette.core.edits.rewire import rewired
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.mips import level_sizes
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.raster.reading import resize_plane
from evenpalette.core.raster.strips import entries_of_levels, levels_of
from evenpalette.core.raster.texture_unit import PLAIN, level_bytes
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.tones.palettes import retarget
from evenpalette.core.tones.palettes.census import codes_of, points_of
from evenpalette.core.tones.palettes.mapping import Dither
from evenpalette.core.tones.palettes.path import meetings, short_path
from evenpalette.core.tones.palettes.reduce import Order, ordered, reduce_pictures
from evenpalette.core.tones.palettes.strip import index_raster, palettes_of, strip_raster
from evenpalette.core.values import ChannelRef

Codes = NDArray[np.uint8]
#: Ways to make another row, by what they are called.
ROWS: dict[str, Callable[[Codes], Codes]] = {
    "Night": retarget.night,
    "Dusk": lambda palette: retarget.night(retarget.warmer(palette, 0.8), 0.4),
    "Warmer": lambda palette: retarget.warmer(palette, 1.0),
    "Cooler": lambda palette: retarget.warmer(palette, -1.0),
    "Hues turned by 60 degrees": lambda palette: retarget.hue_turned(palette, 60),
    "Hues turned by 180 degrees": lambda palette: retarget.hue_turned(palette, 180),
    "The same again": lambda palette: palette.copy(),
}


def reduce_textures(
    state: State, texture_ids: Sequence[str], count: int, dither: Dither = Dither.NONE, region_id: str | None = None,
    locked: tuple[str, ...] = (), progress: Progress = no_progress,
) -> State:  # fmt: skip
    """An index texture of each of these textures and one strip that all of them share, added to the asset.

    region_id: what decides is the coverage of a region, or a painted mask: the id of a gray texture. locked: colors
    that the palette has in any case. Raises EvenPaletteError.
    """
    textures = [_texture(state, texture_id) for texture_id in dict.fromkeys(texture_ids)]
    if not textures:
        raise EvenPaletteError("Choose a texture to reduce.")
    rasters = [state.textures[texture.id] for texture in textures]
    weight: NDArray[np.float32] | None = None
    if region_id is not None and region_id in state.coverages:
        weight = state.coverages[region_id].astype(np.float32)
    elif region_id is not None and region_id in state.textures:
        weight = state.textures[region_id].channel(0)
    importance = [resize_plane(weight, raster.size) if weight is not None else None for raster in rasters]
    colors = np.array([parse_hex(color) for color in locked], np.uint8) if locked else None
    made = reduce_pictures(rasters, count, dither=dither, importance=importance, locked=colors, progress=progress)
    palette = made.palette if made.palette.shape[1] == 3 or (made.palette[:, 3] < 255).any() else made.palette[:, :3]
    state = add_texture(state, strip_raster([palette]), f"{Path(textures[0].name).stem[:90]}-strip.png", Role.STRIP)
    strip = state.project.asset.textures[-1]
    state = with_texture(state, strip.model_copy(update={"locked": tuple(locked)}))
    for texture, indices in zip(textures, made.indices, strict=True):
        state = add_texture(
            state, index_raster(indices, len(palette)), f"{Path(texture.name).stem[:90]}-index.png", Role.INDEX
        )
        index = state.project.asset.textures[-1]
        state = with_texture(state, index.model_copy(update={"strip": strip.id}))
    return state


def locked_of(state: State, index_id: str) -> tuple[str, ...]:
    """The colors that are locked in the palette of index art."""
    return _texture(state, _strip_id(state, index_id)).locked


def set_locked(state: State, index_id: str, color: str, *, locked: bool) -> State:
    """Lock a color of a palette, or let it go: what is reduced anew keeps it."""
    strip = _texture(state, _strip_id(state, index_id))
    held = tuple(c for c in strip.locked if c != color) + ((color,) if locked else ())
    return with_texture(state, strip.model_copy(update={"locked": held}))


def lay_palette(state: State, index_id: str, strip_id: str = "", row_of_strip: int = 0) -> State:
    """Add a Palette step for a gray texture and a strip, its own where none is named, on the whole surface: over the
    paint, under dirt."""
    index = _texture(state, index_id)
    step_id = new_id("step")
    kinds = [KINDS.get(step.kind) for step in state.project.recipe.steps]
    under = [
        n
        for n, kind in enumerate(kinds, 1)
        if kind is not None and kind.order <= KINDS["palette"].order and not kind.over_paint
    ]
    state = add_step(state, "palette", None, max(under, default=0), step_id)
    step = state.project.recipe.step(step_id)
    assert step is not None
    return set_first_row(
        state, step_id, {"index": str(ChannelRef(index_id, 0)), "strip": strip_id or index.strip, "row": row_of_strip}
    )


def rows_of(state: State, index_id: str) -> Codes:
    """The palettes of an index texture, uint8 (rows, n, 3 or 4). Raises EvenPaletteError without a strip."""
    return palettes_of(state.textures[_strip_id(state, index_id)])


def entries_of(state: State, index_id: str) -> Codes:
    """The entry of every texel, uint8 (height, width)."""
    return np.take(entries_of_levels(rows_of(state, index_id).shape[1]), levels_of(state.textures[index_id]))


def entry_shares(state: State, index_id: str) -> NDArray[np.float64]:
    """How much of the texture each entry covers, (n,), sum 1."""
    count = rows_of(state, index_id).shape[1]
    held = np.bincount(entries_of(state, index_id).reshape(-1), minlength=count)[:count]
    return held / max(1, int(held.sum()))


def set_entry(state: State, index_id: str, row: int, entry: int, color: str) -> State:
    """Give an entry of a row another color; its alpha stays."""
    rows = rows_of(state, index_id).copy()
    rows[row, entry, :3] = parse_hex(color)
    return _with_rows(state, index_id, rows)


def add_row(state: State, index_id: str, how: str, base: int = 0) -> State:
    """Another row below, made of one that is there: a key of ROWS, or the id of a texture whose mood it takes."""
    rows = rows_of(state, index_id)
    if len(rows) >= 256:
        raise EvenPaletteError("A strip has at most 256 rows.")
    if how in ROWS:
        made = ROWS[how](rows[base])
    elif how in state.textures:
        made = retarget.in_mood(rows[base], state.textures[how], entry_shares(state, index_id))
    else:
        raise EvenPaletteError("That way to make a row is not known.")
    return _with_rows(state, index_id, np.concatenate([rows, made[None]]))


def remove_row(state: State, index_id: str, row: int) -> State:
    """Take a row out. Raises EvenPaletteError for the last one."""
    rows = rows_of(state, index_id)
    if len(rows) == 1:
        raise EvenPaletteError("A strip has at least one row.")
    return _with_rows(state, index_id, np.delete(rows, row, 0))


def sort_entries(state: State, index_id: str, order: Order | None) -> State:
    """Put the entries of all rows in another order, None along the shortest path; the picture stays."""
    rows, entries = rows_of(state, index_id), entries_of(state, index_id)
    if order is None:
        places = short_path(rows[0], meetings(entries, rows.shape[1]))
    else:
        places = ordered(rows[0], order, entry_shares(state, index_id))
    return _reordered(state, index_id, rows, entries, places)


def move_entry(state: State, index_id: str, entry: int, target: int) -> State:
    """Move an entry to another place; the picture stays."""
    rows = rows_of(state, index_id)
    places = np.delete(np.arange(rows.shape[1]), entry)
    return _reordered(
        state, index_id, rows, entries_of(state, index_id), np.insert(places, min(max(target, 0), len(places)), entry)
    )


def merge_entries(state: State, index_id: str, kept: int, gone: int) -> State:
    """Give the texels of an entry to another; it goes from all rows."""
    rows, entries = rows_of(state, index_id), entries_of(state, index_id)
    if rows.shape[1] <= 2 or kept == gone:
        raise EvenPaletteError(
            "A palette keeps at least two colors." if kept != gone else "Choose another entry to merge with."
        )
    to = np.arange(rows.shape[1])
    to[gone] = kept
    to[to > gone] -= 1
    state = _with_rows(state, index_id, np.delete(rows, gone, 1))
    return replace_texture(state, index_id, index_raster(to[entries].astype(np.uint8), rows.shape[1] - 1))


def split_entry(state: State, index_id: str, entry: int) -> State:
    """Split an entry in two: its texels are shared out by what they are in a texture of the asset of the same size, the
    one that looks most like it, along the direction in which they differ most. Raises EvenPaletteError."""
    rows, entries = rows_of(state, index_id), entries_of(state, index_id)
    if rows.shape[1] >= 256:
        raise EvenPaletteError("A palette has at most 256 colors.")
    inside = entries == entry
    codes = _source_codes(state, entries, rows[0])[inside]
    points = points_of(codes)
    if not len(points) or (np.ptp(points, axis=0) < 1e-3).all():
        raise EvenPaletteError("All texels of this entry have one color in the textures: there is nothing to split.")
    away = points - points.mean(0)
    direction = np.linalg.eigh(away.T @ away)[1][:, -1]
    second = away @ direction > 0
    if points[second][:, 0].mean() < points[~second][:, 0].mean():
        second = ~second
    moved = np.where(entries > entry, entries + 1, entries).astype(np.uint8)
    moved[inside] = np.where(second, entry + 1, entry)
    wider = np.insert(rows, entry + 1, rows[:, entry], 1)
    means = [np.rint(codes[part].mean(0)) for part in (~second, second)]
    # Other rows keep what they had, moved apart as the first row is.
    apart = [mean - rows[0, entry, :3] for mean in means]
    for place, shift in zip((entry, entry + 1), apart, strict=True):
        wider[:, place, :3] = np.clip(wider[:, place, :3].astype(np.float64) + shift, 0, 255)
    state = _with_rows(state, index_id, wider)
    return replace_texture(state, index_id, index_raster(moved, wider.shape[1]))


def _source_codes(state: State, entries: NDArray[np.uint8], palette: Codes) -> Codes:
    """The codes (height, width, 3) of the color texture of this size that is nearest to what the palette shows."""
    shown = palette[entries][..., :3].astype(np.int16)
    best, least = None, np.inf
    for texture in state.project.asset.with_role(Role.PAINTED, Role.COLOR):
        raster = state.textures[texture.id]
        if raster.size == entries.shape[::-1] and raster.channels >= 3:
            codes = codes_of(raster, alpha=False)
            off = float(np.abs(shown - codes).mean())
            best, least = (codes, off) if off < least else (best, least)
    if best is None:
        raise EvenPaletteError(
            "No color texture of the asset has the size of this index: an entry is split by what it was made of."
        )
    return best


def where_used(state: State, index_id: str, entry: int) -> Raster:
    """Where an entry is used: its texels as they are, everything else dim and gray."""
    rows, entries = rows_of(state, index_id), entries_of(state, index_id)
    shown = rows[0][entries][..., :3]
    gray = np.repeat((shown @ np.array([0.2126, 0.7152, 0.0722]))[..., None], 3, -1) * 0.35 + 20
    lit = entries == entry
    # Dark colors would not light up.
    bright = np.maximum(shown.astype(np.int16) + 40, 90) if lit.any() and shown[lit].mean() < 90 else shown
    return Raster(np.where(lit[..., None], np.clip(bright, 0, 255), gray).astype(np.uint8), Encoding.SRGB)


@dataclass(frozen=True)
class PackedBytes:
    """Bytes with all mip levels of what was packed, and of what one would deliver instead.

    packed: one RGBA texture and the strips. apart: one texture each, one channel. color: four color textures, and in
    BC1 and BC7. packed_blocks: the RGBA texture in BC7, None where index art is in it, which blocks destroy.
    """

    packed: int
    apart: int
    color: int
    color_bc1: int
    color_bc7: int
    packed_blocks: int | None


def packed_bytes(state: State, texture_ids: Sequence[str]) -> PackedBytes:
    """What packing up to four gray or index textures into one saves, and against what."""
    textures = [_texture(state, texture_id) for texture_id in texture_ids]
    width, height = (max(state.textures[t.id].size[axis] for t in textures) for axis in (0, 1))
    sizes = level_sizes((width, height))

    def total(channels: int, form: str) -> int:
        return sum(level_bytes(w, h, channels, form) for w, h in sizes)

    strips = sum(state.textures[t].pixels.nbytes for t in {t.strip for t in textures} if t in state.textures)
    count, has_index = len(textures), any(t.role is Role.INDEX for t in textures)
    return PackedBytes(
        packed=total(4, PLAIN) + strips, apart=count * total(1, PLAIN) + strips, color=count * total(3, PLAIN),
        color_bc1=count * total(3, "BC1"), color_bc7=count * total(3, "BC7"), packed_blocks=None if has_index else total(4, "BC7") + strips,
    )  # fmt: skip


def pack_textures(state: State, texture_ids: Sequence[str]) -> State:
    """Put up to four gray or index textures of one size into the channels of one RGBA texture; steps read them there.

    Raises EvenPaletteError for more than four, for color, and for different sizes where index art is among them.
    """
    textures = [_texture(state, texture_id) for texture_id in dict.fromkeys(texture_ids)]
    if not 2 <= len(textures) <= 4:
        raise EvenPaletteError(f"Two to four textures go into one, not {len(textures)}.")
    rasters = [state.textures[texture.id] for texture in textures]
    if any(raster.channels > 2 for raster in rasters):
        raise EvenPaletteError(
            "Only gray and index textures can be packed: a color texture has three channels already."
        )
    if len({raster.size for raster in rasters}) > 1:
        raise EvenPaletteError(
            "Textures of different sizes cannot be packed without resizing, which index art does not survive."
        )
    planes = [
        levels_of(r) if t.role is Role.INDEX else quantize(r.channel(0), np.dtype(np.uint8))
        for t, r in zip(textures, rasters, strict=True)
    ]
    planes += [np.full(planes[0].shape, 255 if k == 3 else 0, np.uint8) for k in range(len(planes), 4)]
    name = f"{Path(textures[0].name).stem[:90]}-packed.png"
    # What is read from its channels is said by the steps, not by attributes.
    state = add_texture(state, Raster(np.ascontiguousarray(np.stack(planes, -1)), Encoding.DATA), name, Role.DATA)
    packed = state.project.asset.textures[-1].id
    return rewired(state, {f"{texture.id}:0": f"{packed}:{channel}" for channel, texture in enumerate(textures)})


def _reordered(state: State, index_id: str, rows: Codes, entries: Codes, places: NDArray[np.int64]) -> State:
    rank = np.empty(len(places), np.uint8)
    rank[places] = np.arange(len(places))
    state = _with_rows(state, index_id, np.ascontiguousarray(rows[:, places]))
    return replace_texture(state, index_id, index_raster(rank[entries], len(places)))


def _with_rows(state: State, index_id: str, rows: Codes) -> State:
    strip_id = _strip_id(state, index_id)
    # Its rows are no longer those of stops.
    state = with_texture(state, _texture(state, strip_id).model_copy(update={"ramps": ()}))
    return replace_texture(state, strip_id, Raster(np.ascontiguousarray(rows), Encoding.SRGB))


def _texture(state: State, texture_id: str) -> Texture:
    texture = state.project.asset.texture(texture_id)
    if texture is None or texture_id not in state.textures:
        raise EvenPaletteError("That texture is no longer in the project.")
    return texture


def _strip_id(state: State, index_id: str) -> str:
    texture = _texture(state, index_id)
    if texture.strip not in state.textures:
        raise EvenPaletteError(f"{texture.name} has no strip. Choose one, or reduce a texture.")
    return texture.strip
