"""Index art of the asset: several textures by one palette, locked colors, entries split, channels packed."""

from dataclasses import replace

import numpy as np
import pytest
from skimage import data

from evenpalette.core.color.hexcode import format_hex
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture
from evenpalette.core.edits.palette import (
    lay_palette,
    locked_of,
    pack_textures,
    packed_bytes,
    reduce_textures,
    rows_of,
    set_locked,
    split_entry,
    where_used,
)
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.tones.palettes.strip import restore

SIZE = 64


@pytest.fixture
def two() -> State:
    """Two painted textures."""
    state = State()
    for name in ("coffee", "chelsea"):
        codes = np.ascontiguousarray(getattr(data, name)()[40 : 40 + SIZE, 60 : 60 + SIZE])
        state = add_texture(state, Raster(codes, Encoding.SRGB), f"{name}.png", Role.PAINTED)
    return state


def shown(state: State) -> np.ndarray:
    sources = replace(state.sources, base=Raster(np.full((SIZE, SIZE, 1), 200, np.uint8), Encoding.DATA))
    return evaluate(state.bound_steps(None), sources).pixels[..., :3]


def test_two_textures_share_one_palette_that_keeps_its_locked_colors(two: State) -> None:
    ids = [texture.id for texture in two.project.asset.textures]
    state = reduce_textures(two, ids, 24, locked=("#ff00aa",))
    first, second = state.project.asset.with_role(Role.INDEX)
    assert first.strip == second.strip
    palette = rows_of(state, first.id)[0]
    assert "#ff00aa" in {format_hex(tuple(int(v) for v in entry[:3])) for entry in palette}
    for index, source in ((first, ids[0]), (second, ids[1])):
        made = restore(state.textures[index.id], state.textures[first.strip]).pixels[..., :3].astype(int)
        assert np.abs(made - state.textures[source].pixels).mean() < 12
    assert locked_of(state, first.id) == ("#ff00aa",)
    assert locked_of(set_locked(state, second.id, "#ff00aa", locked=False), first.id) == ()


def test_an_entry_is_split_by_what_its_texels_were(two: State) -> None:
    painted = two.project.asset.textures[0].id
    state = reduce_textures(two, [painted], 6)
    index = state.project.asset.with_role(Role.INDEX)[0].id
    strip = state.project.asset.texture(index).strip
    source = two.textures[painted].pixels.astype(int)

    def off(now: State) -> np.ndarray:
        return np.abs(restore(now.textures[index], now.textures[strip]).pixels[..., :3] - source).sum(-1)

    before = off(state)
    lit = where_used(state, index, 2).pixels
    used = (lit.max(-1) > 75) & (np.ptp(lit.astype(int), axis=-1) > 0)
    after = split_entry(state, index, 2)
    assert rows_of(after, index).shape[1] == 7
    changed = off(after)
    assert changed.sum() < before.sum()
    # Only the texels of that entry changed, and those light up.
    assert used[changed != before].mean() > 0.9
    flat = add_texture(State(), Raster(np.full((8, 8, 3), 90, np.uint8), Encoding.SRGB), "flat.png", Role.PAINTED)
    flat = reduce_textures(flat, [flat.project.asset.textures[0].id], 2, locked=("#ffffff",))
    with pytest.raises(EvenPaletteError, match="nothing to split"):
        split_entry(flat, flat.project.asset.with_role(Role.INDEX)[0].id, 0)


def test_packed_index_art_shows_the_same_and_its_bytes_are_counted_honestly(two: State) -> None:
    ids = [texture.id for texture in two.project.asset.textures]
    state = reduce_textures(two, ids, 16)
    first, second = (texture.id for texture in state.project.asset.with_role(Role.INDEX))
    mask = np.random.default_rng(3).integers(0, 256, (SIZE, SIZE, 1), np.uint8)
    state = add_texture(state, Raster(mask, Encoding.DATA), "mask.png", Role.MASK)
    state = lay_palette(state, second)
    before = shown(state)
    packed = pack_textures(state, [first, second, state.project.asset.textures[-1].id])
    made = packed.project.asset.textures[-1]
    assert packed.textures[made.id].channels == 4
    assert np.array_equal(packed.textures[made.id].pixels[..., 2], mask[..., 0])
    assert f"{made.id}:1" in packed.project.recipe.model_dump_json()
    assert np.array_equal(shown(packed), before)
    bytes_ = packed_bytes(state, [first, second])
    texels = sum((SIZE >> k) ** 2 for k in range(7))
    strip = state.textures[state.project.asset.texture(first).strip].pixels.nbytes
    assert bytes_.packed == texels * 4 + strip
    assert bytes_.apart == texels * 2 + strip
    assert bytes_.color == texels * 4 * 2, "three channels take the room of four"
    assert bytes_.color_bc1 == 2 * sum(max(1, (SIZE >> k) // 4) ** 2 * 8 for k in range(7))
    assert bytes_.packed_blocks is None
    with pytest.raises(EvenPaletteError, match="three channels already"):
        pack_textures(state, [first, ids[0]])


def test_a_painted_mask_decides_what_the_colors_are() -> None:
    """Reds to the left, blues to the right; only the left counts: it is served far better than by an even reduction."""
    codes = np.random.default_rng(7).integers(0, 80, (SIZE, SIZE, 3)).astype(np.uint8)
    codes[:, : SIZE // 2, 0] += 150
    codes[:, SIZE // 2 :, 2] += 150
    state = add_texture(State(), Raster(codes, Encoding.SRGB), "halves.png", Role.PAINTED)
    mask = np.zeros((SIZE, SIZE, 1), np.uint8)
    mask[:, : SIZE // 2] = 255
    state = add_texture(state, Raster(mask, Encoding.DATA), "counts.png", Role.MASK)
    painted, counts = (texture.id for texture in state.project.asset.textures)

    def off(made: State) -> float:
        index = made.project.asset.with_role(Role.INDEX)[0]
        shown = restore(made.textures[index.id], made.textures[index.strip]).pixels[..., :3].astype(int)
        return float((np.abs(shown - codes)[:, : SIZE // 2]).mean())

    assert off(reduce_textures(state, [painted], 8, region_id=counts)) < 0.9 * off(reduce_textures(state, [painted], 8))
