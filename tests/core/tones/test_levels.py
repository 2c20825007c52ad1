"""Levels of the tone region by region, and what gray and tint cannot rebuild."""

from pathlib import Path

import cv2
import numpy as np
import pytest

from evenpalette.core.color.encoding import decode_srgb, encode_srgb
from evenpalette.core.color.hexcode import hex_to_linear, parse_hex
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture, replace_texture
from evenpalette.core.edits.parameters import update_parameter
from evenpalette.core.edits.refining import freeze
from evenpalette.core.edits.regions import regions_from_channels, remove_region
from evenpalette.core.edits.splitting import split_by_hue
from evenpalette.core.edits.tone import make_tone, tint_parameter_of, with_residue
from evenpalette.core.edits.tone_levels import (
    leveled,
    levels_of,
    levels_row,
    set_levels,
    suggested_levels,
    true_average,
)
from evenpalette.core.errors import RegionError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.storage.storage import Storage
from evenpalette.core.tones.gray import to_gray

SIZE = 64


def painted_state(color: np.ndarray) -> State:
    """A sheet with two halves as regions, painted with linear colors (64, 64, 3)."""
    mask = np.zeros((SIZE, SIZE, 3), np.uint8)
    mask[:, : SIZE // 2, 0] = mask[:, SIZE // 2 :, 1] = 255
    codes = np.rint(encode_srgb(color.astype(np.float32)) * 255).astype(np.uint8)
    state = add_texture(State(), Raster(codes, Encoding.SRGB), "painted.png", Role.PAINTED)
    state = add_texture(state, Raster(mask, Encoding.DATA), "mask.png", Role.CHANNEL_MASK)
    return regions_from_channels(state, state.project.asset.textures[1].id)


def shaded(tint: str, seed: int = 3) -> np.ndarray:
    """One color under a soft shade from 0.2 to 0.6, linear."""
    y, x = np.mgrid[:SIZE, :SIZE] / SIZE
    shade = 0.4 + 0.2 * np.sin(9 * x + seed) * np.cos(7 * y)
    return shade[..., None] * hex_to_linear(tint)


def default_color(state: State) -> np.ndarray:
    """What the default shows at the size of the tone, linear, nothing cut off."""
    assert state.tone is not None
    return evaluate(state.bound_steps(None), state.sources.at_size(*state.tone.size), float_output=True).pixels


def test_true_average_is_the_tint_where_nothing_clips() -> None:
    state = make_tone(painted_state(shaded("#b06030")))
    first = state.region_ids[0]
    state = set_levels(state, first, {"black": 0.1, "gamma": 1.2})
    state = set_levels(state, first, true_average(state, first))
    parameter = tint_parameter_of(state, first)
    for tint in ("#404a50", "#703818"):
        tinted = update_parameter(state, parameter, default=tint)
        assert leveled(tinted, first, tint).bright == 0
        mean = default_color(tinted)[:, : SIZE // 2 - 2].mean((0, 1))
        assert np.abs(encode_srgb(mean.astype(np.float32)) * 255 - parse_hex(tint)).max() <= 1
    # A tint near white clips, and it is said how much of the region does.
    bright = update_parameter(state, parameter, default="#ffffff")
    counted = (default_color(bright)[:, : SIZE // 2 - 2].max(-1) > 1.005).mean()
    assert leveled(bright, first, "#ffffff").bright == pytest.approx(counted, abs=0.03)
    assert counted > 0.2
    # The other region keeps the tone it had.
    assert np.abs(default_color(state)[:, SIZE // 2 + 2 :] - shaded("#b06030")[:, SIZE // 2 + 2 :]).max() < 0.01


def test_levels_are_those_of_the_formula_and_one_step_holds_all_regions() -> None:
    state = make_tone(painted_state(shaded("#80a0c0")))
    first, second = state.region_ids[:2]
    values = {"black": 0.2, "white": 0.8, "gamma": 1.5, "contrast": 1.2, "brightness": 0.8}
    state = set_levels(set_levels(state, first, values), second, {"white": 0.9})
    assert [step.kind for step in state.project.recipe.steps].count("levels") == 1
    assert levels_row(state, first)[0] == levels_row(state, second)[0]
    assert levels_of(state, first) == pytest.approx(values)
    low, high = (float(decode_srgb(np.float32(v))) for v in (0.2, 0.8))
    gray = state.tone.channel(0)[5, 5]
    wanted = 0.8 * 0.18 * ((max(gray - low, 0) / (high - low)) ** (1 / 1.5) / 0.18) ** 1.2
    tint = hex_to_linear(str(state.values(None)[tint_parameter_of(state, first)]))
    assert default_color(state)[5, 5] == pytest.approx(wanted * tint, rel=2e-3)
    # Fitted anew, the artist's levels stay what they were.
    again = make_tone(state)
    assert levels_of(again, first) == pytest.approx(values)
    assert np.abs(again.tone.channel(0) - state.tone.channel(0)).max() < 0.01


def test_suggested_levels_leave_room_for_every_tint() -> None:
    for shade in (0.08, 0.5, 1.5):
        state = make_tone(painted_state(np.clip(shaded("#c0c0c0") * shade, 0, 1)))
        region = state.region_ids[0]
        found = suggested_levels(state, region)
        after = leveled(set_levels(state, region, found), region, "#ffffff")
        assert 0.35 < after.mean < 0.65
        assert after.bright < 0.02
        assert after.dark < 0.02
    dark = make_tone(painted_state(shaded("#c0c0c0")))
    small = replace_texture(dark, dark.project.asset.textures[0].id, dark.textures[dark.project.asset.textures[0].id])
    low = set_levels(small, small.region_ids[0], {"black": 0.9})
    with pytest.raises(RegionError, match="too dark"):
        true_average(low, low.region_ids[0])


def test_a_residue_brings_back_a_wandering_hue_and_follows_the_tint() -> None:
    """Hue wandering by 25 degrees to either side: gray and tint leave it, the second map brings it back."""
    y, x = np.mgrid[:SIZE, :SIZE] / SIZE
    from evenpalette.core.color.oklab import oklab_to_linear

    turn = np.deg2rad(40 + 25 * np.sin(6 * x) * np.cos(5 * y))
    chroma = 0.1 * (1 + 0.3 * np.sin(11 * y))
    lab = np.stack([0.6 + 0.1 * np.sin(8 * x), chroma * np.cos(turn), chroma * np.sin(turn)], -1)
    state = make_tone(painted_state(np.clip(oklab_to_linear(lab), 0, 1)))
    before = state.project.tone.report
    after = with_residue(state)
    report = after.project.tone.report
    assert before.mean > 3
    assert report.mean < 0.5
    assert max(row.p95 for row in report.rows) < 1.5
    # Under another tint the offsets turn that one: its hue wanders by as much.
    region = after.region_ids[0]
    from evenpalette.core.color.oklab import linear_to_oklab

    blue = update_parameter(after, tint_parameter_of(after, region), default="#3050a0")
    made = linear_to_oklab(default_color(blue)[:, : SIZE // 2 - 2])
    plain = linear_to_oklab(hex_to_linear("#3050a0"))
    hues = np.angle((made[..., 1] + 1j * made[..., 2]) / (plain[1] + 1j * plain[2]), deg=True)
    wanders = np.rad2deg(turn[:, : SIZE // 2 - 2])
    assert np.ptp(hues) == pytest.approx(np.ptp(wanders), rel=0.12)
    # Made anew, not twice.
    again = make_tone(after)
    assert [step.kind for step in again.project.recipe.steps].count("residue") == 1
    assert len(again.project.asset.textures) == len(after.project.asset.textures)
    assert again.project.tone.report.mean < 0.5


def test_a_region_of_two_hues_is_split_and_given_back(tmp_path: Path) -> None:
    """A blue stripe on orange: its texels become a region of their own, and the fit is as good as if painted so."""
    color = shaded("#c07030")
    stripe = np.zeros((SIZE, SIZE), bool)
    stripe[20:34, : SIZE // 2] = True
    color[stripe] = shaded("#3060b0")[stripe]
    state = make_tone(painted_state(color))
    first = state.region_ids[0]
    row = state.project.tone.report.rows[0]
    assert row.second
    assert row.mean > 3
    split = make_tone(split_by_hue(state, first))
    part = split.region_ids[1]
    mask = split.coverages[part]
    assert (mask[21:33, 2 : SIZE // 2 - 2] == 255).all()
    assert (mask[~cv2.dilate(stripe.astype(np.uint8), np.ones((3, 3))).astype(bool)] == 0).all()
    assert (split.coverages[first].astype(int) + mask)[:, 2 : SIZE // 2 - 2].min() >= 254
    report = split.project.tone.report
    assert max(r.mean for r in report.rows) < 0.6
    assert not any(r.second for r in report.rows)
    # Another color for the part alone; removing it gives its texels back.
    Storage(tmp_path / "p").save(split)
    Storage(tmp_path / "p").save(split)
    again = Storage(tmp_path / "p").open()
    assert np.array_equal(again.coverages[part], mask)
    with pytest.raises(RegionError, match="split from it"):
        remove_region(again, first)
    whole = remove_region(again, part)
    assert np.array_equal(whole.coverages[first], state.coverages[first])
    # The texture changes, and the part follows.
    moved = np.roll(color, 8, 0)
    codes = np.rint(encode_srgb(moved.astype(np.float32)) * 255).astype(np.uint8)
    after = replace_texture(split, split.project.tone.painted, Raster(codes, Encoding.SRGB))
    assert (after.coverages[part][30:40, 2 : SIZE // 2 - 2] == 255).all()
    assert (after.coverages[part][:27] == 0).all()
    frozen = freeze(split, [first])
    assert np.array_equal(frozen.coverages[part], mask)
    assert np.array_equal(frozen.coverages[first], split.coverages[first])
    with pytest.raises(RegionError, match="No second hue"):
        split_by_hue(split, split.region_ids[2])


def test_alpha_is_kept_and_the_principal_direction_is_that_of_the_scatter() -> None:
    rng = np.random.default_rng(6)
    color = shaded("#d08040") + rng.normal(0, 0.003, (SIZE, SIZE, 3))
    codes = np.rint(encode_srgb(np.clip(color, 0, 1).astype(np.float32)) * 255).astype(np.uint8)
    alpha = rng.integers(0, 256, (SIZE, SIZE, 1), np.uint8)
    made = to_gray(Raster(np.concatenate([codes, alpha], -1), Encoding.SRGB), "mean")
    assert made.channels == 2
    assert np.array_equal(made.pixels[..., 1], alpha[..., 0])
    linear = decode_srgb(codes.astype(np.float32) / 255).reshape(-1, 3)
    _, _, right = np.linalg.svd(linear, full_matrices=False)
    direction = np.abs(right[0])
    wanted = encode_srgb((linear @ (direction * direction.max())).astype(np.float32)).reshape(SIZE, SIZE)
    assert np.abs(to_gray(Raster(codes, Encoding.SRGB), "principal").channel(0) - wanted).max() < 0.003
