"""Tones: the fit is exact where an exact answer exists, and the plain grays are the published ones."""

import numpy as np
import pytest
import skimage.color
import skimage.data

from evenpalette.core.color.encoding import encode_srgb, encode_srgb_8bit
from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.color.lab import linear_to_lab
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset, recipe, regions, tone
from evenpalette.core.errors import RegionError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.tones.gray import METHODS, to_gray

RNG = np.random.default_rng(9)


def two_regions(painted: np.ndarray, left: np.ndarray) -> State:
    """A project whose channel mask gives the left part to one region and the rest to another."""
    mask = np.stack([left, 255 - left, np.zeros_like(left)], -1).astype(np.uint8)
    state = asset.add_texture(State(), Raster(painted, Encoding.SRGB), "paint.png", Role.PAINTED)
    state = asset.add_texture(state, Raster(mask, Encoding.DATA), "mask.png", Role.CHANNEL_MASK)
    return regions.regions_from_channels(state, state.project.asset.textures[1].id)


def rebuilt(state: State) -> np.ndarray:
    return evaluate(state.bound_steps(None), state.working).pixels


def test_the_fit_is_exact_on_a_tint_times_a_gray() -> None:
    gray = RNG.uniform(0.02, 1.0, (64, 64, 1))
    left = np.where(np.arange(64) < 32, 255, 0)[None].repeat(64, 0).astype(np.uint8)
    tints = np.where(left[..., None] > 0, hex_to_linear("#d8693c"), hex_to_linear("#2c5a9e"))
    painted = encode_srgb_8bit((tints * gray).astype(np.float32))
    state = tone.make_tone(two_regions(painted, left))
    assert np.abs(rebuilt(state).astype(int) - painted).max() <= 1
    report = state.project.tone.report
    assert report is not None
    assert report.mean < 0.6


def test_the_fit_sees_through_dirt_and_soft_edges() -> None:
    gray = RNG.uniform(0.1, 1.0, (64, 64, 1))
    left = np.clip((np.arange(64) - 20) * 12, 0, 255)[None].repeat(64, 0).astype(np.uint8)
    dirt = np.zeros((64, 64), np.uint8)
    dirt[10:30] = 150
    share = left[..., None] / 255
    a, b = hex_to_linear("#ce4f6e"), hex_to_linear("#4fa3ce")
    clean = gray * (a * share + b * (1 - share))
    dirty = clean * (1 - dirt[..., None] / 255) + hex_to_linear("#2b2620") * (dirt[..., None] / 255)
    state = two_regions(encode_srgb_8bit(dirty.astype(np.float32)), left)
    state = asset.add_texture(state, Raster.gray(dirt), "dirt.png", Role.MASK)
    state = recipe.add_step(state, "cover")
    state = tone.make_tone(state)
    apart = np.abs(rebuilt(state).astype(int) - encode_srgb_8bit(dirty.astype(np.float32)))
    assert apart.max() <= 2
    assert (apart <= 1).mean() > 0.99


def test_a_stain_that_the_cover_does_not_match_leaves_no_dark_rim() -> None:
    """The paint under a stain with streaks of its own is of the gray of its region, not black to make up for them."""
    gray = RNG.uniform(0.5, 0.7, (64, 64, 1))
    stain = np.repeat(np.linspace(0, 1, 64)[None], 64, 0)
    streaks = np.where(np.arange(64) % 4 < 2, 0.6, 1.3)[:, None, None]
    clean = gray * hex_to_linear("#4fa3ce")
    dirty = clean * (1 - stain[..., None]) + hex_to_linear("#9a7b56") * streaks * stain[..., None]
    state = two_regions(encode_srgb_8bit(dirty.astype(np.float32)), np.full((64, 64), 255, np.uint8))
    state = asset.add_texture(state, Raster.gray(np.round(stain * 255).astype(np.uint8)), "stain.png", Role.MASK)
    state = recipe.add_step(state, "cover")
    state = recipe.bind_input(state, state.project.recipe.steps[-1].id, "color", Binding(value="#9a7b56"))
    state = tone.make_tone(state)
    found = state.tone.channel(0)
    plain, rim = found[:, :16], found[:, 40:60]
    assert rim.min() >= plain.min() - 0.03
    assert rim.max() <= plain.max() + 0.03


def test_the_default_variant_of_the_demo_shows_the_painted_original(lantern: State) -> None:
    report = lantern.project.tone.report
    assert report is not None
    painted = lantern.textures[str(lantern.project.tone.painted)].as_linear_rgb()
    # Measured here with scikit-image's CIEDE2000 rather than with our own.
    lab = skimage.color.deltaE_ciede2000(
        linear_to_lab(painted), linear_to_lab(evaluate(lantern.bound_steps(None), lantern.working).as_linear())
    )
    mean = lab[np.kron(lantern.used, np.ones((1, 1), bool))].mean()
    assert mean < 1.0
    assert report.mean == pytest.approx(mean, abs=0.1)
    assert all(other.mean > 3 * report.mean for other in lantern.project.tone.compared if other.method != "fit")


def test_a_real_picture_gets_the_best_gray_for_its_tint() -> None:
    """On skimage.data.coffee no gray does better: moving the fitted one either way raises the squared error."""
    picture = np.ascontiguousarray(skimage.data.coffee()[:256, :256])
    state = tone.make_tone(two_regions(picture, np.full((256, 256), 255, np.uint8)))
    painted = Raster(picture, Encoding.SRGB).as_linear_rgb()
    assert state.tone is not None
    gray = state.tone.channel(0)

    def error(g: np.ndarray) -> np.ndarray:
        tint = state.bound_steps(None)[0].rows[0].values["color"]
        return ((g[..., None] * tint - painted) ** 2).sum(-1)

    free = (gray > 0.01) & (gray < 0.99)
    assert (error(gray * 1.01)[free] >= error(gray)[free] - 1e-8).all()
    assert (error(gray * 0.99)[free] >= error(gray)[free] - 1e-8).all()


def test_without_regions_or_paint_the_message_says_what_to_do() -> None:
    with pytest.raises(RegionError, match="no painted texture"):
        tone.make_tone(State())
    painted = asset.add_texture(State(), Raster(np.zeros((4, 4, 3), np.uint8), Encoding.SRGB), "color.png")
    with pytest.raises(RegionError, match="regions first"):
        tone.make_tone(painted)


def test_plain_grays_are_the_published_ones() -> None:
    picture = Raster(skimage.data.astronaut()[::4, ::4].copy(), Encoding.SRGB)
    encoded, linear = picture.as_unit(), picture.as_linear()
    # scikit-image's rgb2gray uses ITU-R BT.709 weights on the values it is given (0.2125, 0.7154, 0.0721: rounded).
    assert to_gray(picture, "bt709").channel(0) == pytest.approx(skimage.color.rgb2gray(encoded), abs=0.004)
    # BT.601 is the Y of scikit-image's rgb2yiq.
    assert to_gray(picture, "bt601").channel(0) == pytest.approx(skimage.color.rgb2yiq(encoded)[..., 0], abs=0.003)
    assert to_gray(picture, "lightness").channel(0) == pytest.approx(
        skimage.color.rgb2lab(encoded)[..., 0] / 100, abs=0.003
    )
    luminance = to_gray(picture, "luminance")
    assert luminance.encoding is Encoding.DATA
    assert luminance.channel(0) == pytest.approx(skimage.color.rgb2xyz(encoded)[..., 1], abs=0.002)
    assert to_gray(picture, "red").channel(0) == pytest.approx(encoded[..., 0], abs=0.003)
    assert to_gray(picture, "mean").channel(0) == pytest.approx(encoded.mean(-1), abs=0.003)
    gray_ramp = Raster(np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, -1), Encoding.SRGB)
    for method in METHODS:
        result = to_gray(gray_ramp, method)
        assert (np.diff(result.channel(0)[0]) >= 0).all()
    assert linear.shape == encoded.shape
    assert encode_srgb(np.float32(1.0)) == pytest.approx(1)
