"""Ramps: stops and what lies between, strips, and the path through a picture's colors."""

from dataclasses import replace

import colour
import numpy as np
import pytest
from skimage import data

from evenpalette.core.color.difference import ciede2000
from evenpalette.core.color.din99 import linear_to_din99b, srgb8_to_din99b
from evenpalette.core.color.encoding import decode_srgb_8bit, encode_srgb
from evenpalette.core.color.lab import linear_to_lab
from evenpalette.core.color.oklab import linear_to_oklab
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture
from evenpalette.core.edits.parameters import set_first_row
from evenpalette.core.edits.ramps import add_ramp, lay_ramp, ramps_of, set_ramps
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.tones.ramps import LOUD, Between, Ramp, Stop, best_path, of_palette, simplified


def test_stops_edges_and_three_ways_between() -> None:
    """Halfway between red and green by hand in linear light; in OKLab by colour-science."""
    ends = (Stop(0.25, "#ff0000"), Stop(0.75, "#00ff00"))
    assert np.allclose(Ramp(ends).at(0.5), [0.5, 0.5, 0])
    labs = [colour.XYZ_to_Oklab(colour.sRGB_to_XYZ(c)) for c in ([1, 0, 0], [0, 1, 0])]
    middle = colour.XYZ_to_sRGB(colour.Oklab_to_XYZ(np.mean(labs, 0)))
    assert np.allclose(encode_srgb(Ramp(ends, Between.OKLAB).at(0.5)), np.clip(middle, 0, 1), atol=3e-3)
    stepped = Ramp(ends, Between.STEPPED)
    assert np.allclose(stepped.at([0.0, 0.3, 0.74, 0.75, 1.0]), [[1, 0, 0]] * 3 + [[0, 1, 0]] * 2)
    hard = Ramp((Stop(0, "#000000"), Stop(0.5, "#000000"), Stop(0.5, "#ffffff"), Stop(1, "#ffffff")))
    assert np.allclose(hard.at([0.49999, 0.5, 0.50001]), [[0] * 3, [1] * 3, [1] * 3])
    strip = Ramp(ends).strip(64, 4)
    assert strip.size == (64, 4)
    assert strip.pixels[0, 0].tolist() == [255, 0, 0]
    assert strip.pixels[3, -1].tolist() == [0, 255, 0]
    for bad in ((), (Stop(0.5, "#000000"), Stop(0.2, "#ffffff")), (Stop(1.5, "#000000"),)):
        with pytest.raises(EvenPaletteError):
            Ramp(bad)
    assert len(np.unique(LOUD.strip(100).pixels[0], axis=0)) >= 10


def test_a_ramp_of_a_palette_passes_through_its_entries() -> None:
    palette = np.array([[10, 20, 30], [200, 100, 0], [255, 255, 255]], np.uint8)
    codes = np.rint(encode_srgb(of_palette(palette).at([0, 0.5, 1])) * 255)
    assert np.array_equal(codes, palette)


def residue(ramp: Ramp, codes: np.ndarray) -> float:
    """Mean CIEDE2000 from colors to the nearest of 256 on a ramp."""
    shown = ramp.strip(256).pixels[0]
    points, there = srgb8_to_din99b(codes), srgb8_to_din99b(shown)
    best = ((points[:, None] - there[None]) ** 2).sum(-1).argmin(1)
    return float(ciede2000(linear_to_lab(decode_srgb_8bit(codes)), linear_to_lab(decode_srgb_8bit(shown[best]))).mean())


def test_a_bent_path_is_found_again() -> None:
    """Colors made along black, red, yellow, white, with noise: the ramp comes back, in order, within a few
    CIEDE2000."""
    made = Ramp((Stop(0, "#100808"), Stop(0.33, "#a02018"), Stop(0.67, "#e0b030"), Stop(1, "#fff8e0")), Between.OKLAB)
    rng = np.random.default_rng(7)
    codes = (
        np.rint(encode_srgb(made.at(rng.random((64, 64)))) * 255 + rng.normal(0, 2, (64, 64, 3)))
        .clip(0, 255)
        .astype(np.uint8)
    )
    found = best_path(Raster(codes, Encoding.SRGB), 8)
    assert residue(found, codes.reshape(-1, 3)) < 1.6
    lightness = linear_to_din99b(found.at(np.linspace(0, 1, 50)))[:, 0]
    assert (np.diff(lightness) > -0.5).all()


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
def test_the_path_is_nearer_to_a_picture_than_the_straight_line(name: str) -> None:
    """The straight line along the first principal component, the best that plain gray to color can do."""
    pixels = np.ascontiguousarray(getattr(data, name)()[::8, ::8])
    codes = pixels.reshape(-1, 3)
    points = srgb8_to_din99b(codes).astype(float)
    direction = np.linalg.svd(points - points.mean(0), full_matrices=False)[2][0]
    along = (points - points.mean(0)) @ direction
    order = np.argsort(along)
    ends = [codes[part].mean(0) for part in np.array_split(order, 16)]
    straight = Ramp(
        tuple(Stop(p, "#{:02x}{:02x}{:02x}".format(*(round(v) for v in ends[i]))) for p, i in ((0.0, 0), (1.0, 15)))
    )
    found = best_path(Raster(pixels, Encoding.SRGB), 12)
    assert residue(found, codes) < residue(straight, codes)


def test_one_color_and_wrong_counts() -> None:
    plain = Raster(np.full((8, 8, 3), 77, np.uint8), Encoding.SRGB)
    assert {stop.color for stop in best_path(plain, 4).stops} == {"#4d4d4d"}
    with pytest.raises(EvenPaletteError, match="2 to 32"):
        best_path(plain, 1)


def test_fewer_stops_stay_near_and_hard_edges_stay_hard() -> None:
    rng = np.random.default_rng(8)
    places = np.linspace(0, 1, 12)
    bend = Ramp(
        tuple(Stop(float(p), f"#{int(255 * p**2):02x}{int(200 * p):02x}{int(255 * (1 - p)):02x}") for p in places),
        Between.OKLAB,
    )
    few = simplified(bend, 5)
    t = np.linspace(0, 1, 101)
    assert len(few.stops) == 5
    assert np.abs(linear_to_oklab(few.at(t)) - linear_to_oklab(bend.at(t))).max() < 0.02
    # Better than evenly chosen stops, on ramps with a kink somewhere.
    for _ in range(5):
        kink = float(rng.uniform(0.1, 0.9))
        ramp = Ramp((Stop(0, "#000000"), Stop(kink, "#ff8000"), Stop(1, "#0000ff"), Stop(1, "#0000ff")))
        assert np.abs(simplified(ramp, 3).at(t) - ramp.at(t)).max() < 0.02
    assert simplified(few, 6) is few
    assert len(simplified(LOUD, 6).stops) <= 6


def test_a_ramp_of_the_asset_is_a_strip_whose_rows_are_laid_by_steps() -> None:
    """What is delivered against the ramp itself: a gray of all levels through a Palette step, and through a Ramp
    step."""
    levels = Raster(np.arange(256, dtype=np.uint8).reshape(16, 16, 1), Encoding.DATA)
    ramp = Ramp((Stop(0.1, "#201008"), Stop(0.5, "#c04010"), Stop(0.9, "#ffe0a0")), Between.OKLAB)
    night = Ramp((Stop(0, "#000010"), Stop(1, "#4060ff")))
    state = add_texture(State(), levels, "heat.png", Role.HEIGHT)
    gray = state.project.asset.textures[0].id
    state = add_ramp(state, ramp)
    strip = state.project.asset.textures[-1].id
    state = set_ramps(state, strip, [ramp, night])
    assert state.textures[strip].size == (256, 2)
    assert ramps_of(state, strip) == [ramp, night]
    truth = np.rint(encode_srgb(ramp.at(np.arange(256) / 255)) * 255).reshape(16, 16, 3)
    laid = lay_ramp(state, strip, 0, gray)
    made = evaluate(laid.bound_steps(None), replace(laid.sources, base=levels)).pixels[..., :3].astype(int)
    assert np.abs(made - truth).max() <= 1
    over = set_first_row(laid, laid.project.recipe.steps[0].id, {"row": 1})
    dark = np.rint(encode_srgb(night.at(np.arange(256) / 255)) * 255).reshape(16, 16, 3)
    assert (
        np.abs(
            evaluate(over.bound_steps(None), replace(over.sources, base=levels)).pixels[..., :3].astype(int) - dark
        ).max()
        <= 1
    )
    below = lay_ramp(state, strip)
    assert [step.kind for step in below.project.recipe.steps] == ["ramp"]
    bound = below.bound_steps(None)
    gray_base = replace(below.sources, base=levels.with_encoding(Encoding.SRGB))
    assert np.abs(evaluate(bound, gray_base).pixels[..., :3].astype(int) - truth).max() <= 2
    # Entries set one by one are no ramp any more.
    with pytest.raises(EvenPaletteError):
        ramps_of(state, gray)
