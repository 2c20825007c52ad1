"""Index art of a texture: reduced to a palette, its entries and rows changed, laid by a step."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.project.edits.asset import add_texture, replace_texture, with_texture
from evenpalette.core.project.edits.recipe import add_step, set_first_row
from evenpalette.core.project.model import Role, Texture
from evenpalette.core.project.state import State, new_id
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import resize_plane
from evenpalette.core.raster.strips import entries_of_levels, levels_of
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.tones.palettes import retarget
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


def reduce_texture(
    state: State, texture_id: str, count: int, dither: Dither = Dither.NONE, region_id: str | None = None,
    locked: tuple[str, ...] = (), progress: Progress = no_progress,
) -> State:  # fmt: skip
    """An index texture and a strip of a texture, both added to the asset. region_id: only its texels decide.

    locked: colors that the palette has in any case. Raises EvenPaletteError.
    """
    texture = _texture(state, texture_id)
    raster = state.textures[texture_id]
    importance = None
    if region_id is not None and region_id in state.coverages:
        importance = resize_plane(state.coverages[region_id].astype(np.float32), raster.size)
    colors = np.array([parse_hex(color) for color in locked], np.uint8) if locked else None
    made = reduce_pictures([raster], count, dither=dither, importance=[importance], locked=colors, progress=progress)
    palette = made.palette if made.palette.shape[1] == 3 or (made.palette[:, 3] < 255).any() else made.palette[:, :3]
    stem = Path(texture.name).stem[:90]
    state = add_texture(state, strip_raster([palette]), f"{stem}-strip.png", Role.STRIP)
    strip = state.project.asset.textures[-1]
    state = add_texture(state, index_raster(made.indices[0], len(palette)), f"{stem}-index.png", Role.INDEX)
    index = state.project.asset.textures[-1]
    return with_texture(state, index.model_copy(update={"strip": strip.id}))


def lay_palette(state: State, index_id: str, strip_id: str = "", row_of_strip: int = 0) -> State:
    """Add a Palette step for a gray texture and a strip, its own where none is named, on the whole surface: over the
    paint, under dirt."""
    index = _texture(state, index_id)
    step_id = new_id("step")
    kinds = [KINDS.get(step.kind) for step in state.project.recipe.steps]
    under = [n for n, kind in enumerate(kinds, 1) if kind is not None and kind.order <= KINDS["palette"].order and not kind.over_paint]
    state = add_step(state, "palette", None, max(under, default=0), step_id)
    step = state.project.recipe.step(step_id)
    assert step is not None
    return set_first_row(state, step_id, {"index": str(ChannelRef(index_id, 0)), "strip": strip_id or index.strip, "row": row_of_strip})


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
    return _reordered(state, index_id, rows, entries_of(state, index_id), np.insert(places, min(max(target, 0), len(places)), entry))


def merge_entries(state: State, index_id: str, kept: int, gone: int) -> State:
    """Give the texels of an entry to another; it goes from all rows."""
    rows, entries = rows_of(state, index_id), entries_of(state, index_id)
    if rows.shape[1] <= 2 or kept == gone:
        raise EvenPaletteError("A palette keeps at least two colors." if kept != gone else "Choose another entry to merge with.")
    to = np.arange(rows.shape[1])
    to[gone] = kept
    to[to > gone] -= 1
    state = _with_rows(state, index_id, np.delete(rows, gone, 1))
    return replace_texture(state, index_id, index_raster(to[entries].astype(np.uint8), rows.shape[1] - 1))


def split_entry(state: State, index_id: str, entry: int) -> State:
    """Another entry beside one, of the same colors; the texels stay with the first until the index is painted anew."""
    rows, entries = rows_of(state, index_id), entries_of(state, index_id)
    if rows.shape[1] >= 256:
        raise EvenPaletteError("A palette has at most 256 colors.")
    moved = np.where(entries > entry, entries + 1, entries).astype(np.uint8)
    state = _with_rows(state, index_id, np.insert(rows, entry + 1, rows[:, entry], 1))
    return replace_texture(state, index_id, index_raster(moved, rows.shape[1] + 1))


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
