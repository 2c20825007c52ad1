"""Palettes: reduced, indexed, restored, retargeted, ordered; against Pillow, colour-science and OpenGL."""

import colour
import numpy as np
import pytest
from PIL import Image
from scipy.spatial import cKDTree
from skimage import data

from evenpalette.core.color.difference import ciede2000
from evenpalette.core.color.din99 import linear_to_din99b, srgb8_to_din99b
from evenpalette.core.color.encoding import decode_srgb_8bit
from evenpalette.core.color.lab import linear_to_lab
from evenpalette.core.color.oklab import linear_to_oklab
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.tones.palettes import retarget
from evenpalette.core.tones.palettes.index_filtering import measure_index_art, reordered, ways
from evenpalette.core.tones.palettes.mapping import Dither, bayer
from evenpalette.core.tones.palettes.nearest import nearest
from evenpalette.core.tones.palettes.path import short_path
from evenpalette.core.tones.palettes.reduce import Order, reduce_pictures
from evenpalette.core.tones.palettes.strip import (
    entries_of_levels,
    find_faults,
    index_levels,
    index_raster,
    restore,
    strip_raster,
)


def picture(name: str) -> Raster:
    return Raster(np.ascontiguousarray(getattr(data, name)()), Encoding.SRGB)


def mean_difference(first: np.ndarray, second: np.ndarray) -> float:
    return float(ciede2000(linear_to_lab(decode_srgb_8bit(first)), linear_to_lab(decode_srgb_8bit(second))).mean())


def noise(count: int, size: int = 48, seed: int = 0) -> np.ndarray:
    """A picture of exactly so many colors, (size, size, 3)."""
    rng = np.random.default_rng(seed)
    colors = np.unique(rng.integers(0, 256, (4 * count, 3)), axis=0)
    colors = colors[rng.permutation(len(colors))[:count]].astype(np.uint8)
    places = np.concatenate([np.arange(count), rng.integers(0, count, size * size - count)])
    return colors[rng.permutation(places)].reshape(size, size, 3)


def test_din99b_is_that_of_colour_science() -> None:
    """colour.XYZ_to_DIN99(..., method="DIN99b"), whose white is a little another: within 0.05."""
    codes = np.random.default_rng(1).integers(0, 256, (500, 3)).astype(np.uint8)
    lab = linear_to_lab(decode_srgb_8bit(codes)).astype(np.float64)
    expected = colour.models.Lab_to_DIN99(lab, method="DIN99b")
    assert np.abs(srgb8_to_din99b(codes) - expected).max() < 0.05
    assert np.abs(linear_to_din99b(np.zeros((1, 3)))).max() < 1e-4


def test_the_nearest_center_is_that_of_a_tree() -> None:
    """SciPy's k-d tree."""
    for seed, dims in ((0, 3), (1, 4), (2, 3)):
        rng = np.random.default_rng(seed)
        points, centers = (rng.normal(size=(n, dims)).astype(np.float32) for n in (3000, 1 + 80 * seed))
        best, apart = nearest(points, centers)
        distance, expected = cKDTree(centers).query(points)
        assert np.allclose(np.sqrt(apart), distance, atol=1e-5)
        assert (best == expected.reshape(-1)).mean() > 0.999


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
@pytest.mark.parametrize("count", [16, 64, 256])
def test_reduction_is_nearer_to_the_picture_than_median_cut(name: str, count: int) -> None:
    """Pillow's median cut, both without dithering; wanted at 256: at most 0.85 of its mean CIEDE2000."""
    raster = picture(name)
    made = reduce_pictures([raster], count)
    cut = np.array(
        Image.fromarray(raster.pixels)
        .quantize(count, method=Image.Quantize.MEDIANCUT, dither=Image.Dither.NONE)
        .convert("RGB")
    )
    ours, theirs = mean_difference(made.palette[made.indices[0]], raster.pixels), mean_difference(cut, raster.pixels)
    assert ours < (0.85 if count == 256 else 0.92) * theirs
    assert len(made.palette) == count
    assert made.shares.sum() == pytest.approx(1)
    assert (np.diff(srgb8_to_din99b(made.palette)[:, 0]) >= -1e-3).all(), "dark to light"


@pytest.mark.parametrize("count", range(2, 257))
def test_index_and_strip_restore_the_reduced_picture_exactly(count: int) -> None:
    pixels = noise(count, seed=count)
    made = reduce_pictures([Raster(pixels, Encoding.SRGB)], count)
    reduced = made.palette[made.indices[0]]
    index, strip = (
        index_raster(made.indices[0], count),
        strip_raster([np.pad(made.palette, ((0, count - len(made.palette)), (0, 0)), mode="edge")]),
    )
    assert (index.pixels.dtype, index.channels, strip.size) == (np.uint8, 1, (count, 1))
    assert np.array_equal(restore(index, strip).pixels, reduced)
    assert np.array_equal(entries_of_levels(count)[index_levels(count)], np.arange(count))
    assert {0, 255} <= set(index_levels(count).tolist())
    if count <= 64:
        assert np.array_equal(reduced, pixels), "few colors are kept as they are"


def test_five_colors_use_these_levels() -> None:
    assert index_levels(5).tolist() == [0, 64, 128, 191, 255]


def test_locked_colors_weights_alpha_and_several_pictures() -> None:
    pixels = np.zeros((40, 40, 4), np.uint8)
    pixels[..., 3] = 255
    pixels[:20, :, :3] = noise(400, 40)[:20]
    pixels[20:, :20] = (255, 0, 255, 0)
    pixels[20:, 20:] = (30, 160, 90, 255)
    raster = Raster(pixels, Encoding.SRGB)
    locked = np.array([[12, 34, 56], [200, 100, 0]], np.uint8)
    made = reduce_pictures([raster], 8, locked=locked)
    kept = {tuple(int(v) for v in color) for color in made.palette}
    assert {(12, 34, 56, 255), (200, 100, 0, 255)} <= kept
    assert (np.abs(made.palette[made.indices[0][20:, :20]][..., 3]) == 0).all(), "what is transparent stays so"
    weights = np.zeros((40, 40))
    weights[20:, 20:] = 1
    one = reduce_pictures([Raster(pixels[..., :3], Encoding.SRGB)], 4, importance=[weights])
    assert one.palette.tolist() == [[30, 160, 90]], "only what has weight counts"
    first, second = (Raster(noise(3, 16, seed), Encoding.SRGB) for seed in (5, 6))
    both = reduce_pictures([first, second], 6)
    for raster, indices in zip((first, second), both.indices, strict=True):
        assert np.array_equal(both.palette[indices], raster.pixels)
    with pytest.raises(EvenPaletteError, match="2 to 256"):
        reduce_pictures([first], 300)
    assert reduce_pictures([first], 3, order=Order.SHARE).shares[0] == pytest.approx(both.shares.max() * 2, abs=0.4)


def test_dithering_keeps_the_mean_that_plain_mapping_loses() -> None:
    """A ramp of grays in four entries: the mean of light over blocks follows it; the thresholds by hand for 2 by 2."""
    assert (bayer(2) * 8).tolist() == [[-3, 1], [3, -1]]
    gradient = np.repeat(np.linspace(40, 215, 256).astype(np.uint8)[None], 64, 0)
    raster = Raster(np.repeat(gradient[..., None], 3, -1), Encoding.SRGB)
    wanted = decode_srgb_8bit(gradient).reshape(4, 16, 16, 16).mean((1, 3))
    errors = {}
    for dither in Dither:
        made = reduce_pictures([raster], 4, dither=dither)
        light = decode_srgb_8bit(made.palette[made.indices[0]])[..., 0].reshape(4, 16, 16, 16).mean((1, 3))
        errors[dither] = np.abs(light - wanted)[:, 2:-2].mean()
    assert errors[Dither.DIFFUSION] < 0.25 * errors[Dither.NONE]
    assert errors[Dither.ORDERED] < 0.7 * errors[Dither.NONE]


def test_rows_keep_the_order_of_lightness_unless_asked_not_to() -> None:
    palette = reduce_pictures([picture("coffee")], 48).palette
    before = linear_to_oklab(decode_srgb_8bit(palette))[:, 0]
    moods = [
        retarget.hue_turned(palette, 120), retarget.warmer(palette, 1.0), retarget.warmer(palette, -1.0), retarget.night(palette),
        retarget.in_mood(palette, picture("astronaut")),
    ]  # fmt: skip
    for row in moods:
        after = linear_to_oklab(decode_srgb_8bit(row))[:, 0]
        assert (np.diff(after[np.argsort(before, kind="stable")]) > -2e-3).all()
        assert not np.array_equal(row, palette)
    assert np.array_equal(retarget.night(palette, 0.0), palette)
    lab = [linear_to_oklab(decode_srgb_8bit(p)).mean(0) for p in (palette, moods[1], moods[2], moods[3])]
    assert lab[1][2] > lab[0][2] > lab[2][2], "warm is yellow, cool is blue"
    assert lab[3][0] < 0.7 * lab[0][0]
    turned = retarget.hue_turned(palette, 360, keep_order=False)
    assert np.abs(turned.astype(int) - palette).max() <= 1


def test_a_short_path_is_shorter_than_by_lightness_and_near_the_best_of_few() -> None:
    palette = reduce_pictures([picture("astronaut")], 64).palette
    points = srgb8_to_din99b(palette)

    def length(order: np.ndarray) -> float:
        return float(np.linalg.norm(np.diff(points[order], axis=0), axis=1).sum())

    assert length(short_path(palette)) < 0.5 * length(np.argsort(points[:, 0]))
    line = np.array([[v, v, v] for v in (0, 200, 40, 120, 80, 255, 160)], np.uint8)
    assert line[short_path(line)][:, 0].tolist() == [0, 40, 80, 120, 160, 200, 255]


def test_three_ways_let_index_art_survive() -> None:
    raster = Raster(np.ascontiguousarray(data.coffee()[40:296, 100:356]), Encoding.SRGB)
    made = reduce_pictures([raster], 48)
    index, strip = index_raster(made.indices[0], 48), strip_raster([made.palette])
    seen = {(s.setting, s.level): s.mean_ciede2000 for s in measure_index_art(index, strip, raster)}
    naive = "index, trilinear, mips"
    for level in (1, 2, 3):
        assert seen["true mips, nearest", level] < 0.5 * seen[naive, level]
        assert seen["look up, then filter", level] < 0.5 * seen[naive, level]
        assert (
            seen["ordered palette, trilinear, mips, strip filtered", level]
            < 0.9 * seen["index, trilinear, mips, strip filtered", level]
        )
    assert (
        seen["ordered palette, BC4, trilinear, mips, strip filtered", 0] < 0.8 * seen["index, BC4, trilinear, mips", 0]
    )
    assert seen["index, nearest, sRGB flag", 0] > 3 * seen["index, nearest, no mips", 0]
    assert seen["color, BC7, trilinear, mips", 1] < seen["color, BC1, trilinear, mips", 1]
    other, palette = reordered(index, made.palette)
    assert np.array_equal(restore(other, strip_raster([palette])).pixels, restore(index, strip).pixels)


def test_look_up_then_filter_is_filtering_the_colored_picture_when_magnified() -> None:
    raster = Raster(noise(9, 24), Encoding.SRGB)
    made = reduce_pictures([raster], 9)
    way = next(
        w for w in ways(index_raster(made.indices[0], 9), made.palette, raster) if w.name == "look up, then filter"
    )
    drawn = way.draw(-2.0, 1)
    linear = decode_srgb_8bit(raster.pixels).astype(np.float64)
    at = np.clip((np.arange(96) + 0.5) / 96 * 24 - 0.5, 0, 23)
    low = np.floor(at).astype(int)
    high, share = np.minimum(low + 1, 23), at - low
    rows = linear[low] + (linear[high] - linear[low]) * share[:, None, None]
    expected = rows[:, low] + (rows[:, high] - rows[:, low]) * share[None, :, None]
    assert np.abs(drawn - expected).max() < 1e-5


def test_spoilt_index_art_is_recognized_and_explained() -> None:
    rng = np.random.default_rng(2)
    indices = np.kron(rng.integers(0, 12, (16, 16)), np.ones((7, 7))).astype(np.uint8)
    index, strip = index_raster(indices, 12), strip_raster([rng.integers(0, 256, (12, 3)).astype(np.uint8)])

    def codes(pixels: np.ndarray) -> set[str]:
        return {fault.code for fault in find_faults(Raster(pixels, Encoding.DATA), strip)}

    assert codes(index.pixels) == set()
    bent = np.rint(255 * (index.pixels / 255) ** (1 / 2.2))
    encoded = colour.models.eotf_inverse_sRGB(index.pixels / 255)
    assert codes(np.rint(encoded * 255).astype(np.uint8)) == {"gamma"}
    assert codes(bent.astype(np.uint8)) != set()
    import cv2

    jpeg = cv2.imdecode(cv2.imencode(".jpg", index.pixels, [cv2.IMWRITE_JPEG_QUALITY, 75])[1], cv2.IMREAD_GRAYSCALE)
    assert codes(jpeg[..., None]) == {"lossy"}
    assert codes(indices[..., None]) == {"not-stretched"}
    wide = strip_raster([np.zeros((256, 3), np.uint8)])
    assert {f.code for f in find_faults(index, Raster(np.repeat(wide.pixels, 2, 1), Encoding.SRGB))} == {"wide"}
    one = strip_raster([np.zeros((1, 3), np.uint8)])
    assert "one-color" in {f.code for f in find_faults(Raster(np.zeros((4, 4, 1), np.uint8), Encoding.DATA), one)}
