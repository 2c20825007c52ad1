"""Color against published values and other implementations."""

import colour
import numpy as np
import pytest
import skimage.color
from coloraide import Color

from evenpalette.core.color.blocks import encoded_units
from evenpalette.core.color.difference import ciede2000
from evenpalette.core.color.encoding import DECODE_8BIT, decode_srgb, encode_srgb, encode_srgb_8bit
from evenpalette.core.color.hexcode import hex_to_linear, linear_to_hex, parse_hex
from evenpalette.core.color.lab import linear_to_lab
from evenpalette.core.color.luma import BT601, BT709
from evenpalette.core.color.oklab import (
    linear_to_oklab,
    oklab_to_linear,
    oklab_to_oklch,
    oklch_to_linear_in_gamut,
    oklch_to_oklab,
)
from evenpalette.core.color.yiq import hue_shift_matrix, rgb_to_yiq, yiq_to_rgb
from evenpalette.core.errors import RecipeError

RNG = np.random.default_rng(1)
COLORS = RNG.random((500, 3))

# Sharma, Wu and Dalal 2005, table 1: L*, a*, b* of both colors, and the difference to four digits.
SHARMA = (
    (50.0000, 2.6772, -79.7751, 50.0000, 0.0000, -82.7485, 2.0425),
    (50.0000, 3.1571, -77.2803, 50.0000, 0.0000, -82.7485, 2.8615),
    (50.0000, 2.8361, -74.0200, 50.0000, 0.0000, -82.7485, 3.4412),
    (50.0000, -1.3802, -84.2814, 50.0000, 0.0000, -82.7485, 1.0000),
    (50.0000, -1.1848, -84.8006, 50.0000, 0.0000, -82.7485, 1.0000),
    (50.0000, -0.9009, -85.5211, 50.0000, 0.0000, -82.7485, 1.0000),
    (50.0000, 0.0000, 0.0000, 50.0000, -1.0000, 2.0000, 2.3669),
    (50.0000, -1.0000, 2.0000, 50.0000, 0.0000, 0.0000, 2.3669),
    (50.0000, 2.4900, -0.0010, 50.0000, -2.4900, 0.0009, 7.1792),
    (50.0000, 2.4900, -0.0010, 50.0000, -2.4900, 0.0010, 7.1792),
    (50.0000, 2.4900, -0.0010, 50.0000, -2.4900, 0.0011, 7.2195),
    (50.0000, 2.4900, -0.0010, 50.0000, -2.4900, 0.0012, 7.2195),
    (50.0000, -0.0010, 2.4900, 50.0000, 0.0009, -2.4900, 4.8045),
    (50.0000, -0.0010, 2.4900, 50.0000, 0.0010, -2.4900, 4.8045),
    (50.0000, -0.0010, 2.4900, 50.0000, 0.0011, -2.4900, 4.7461),
    (50.0000, 2.5000, 0.0000, 50.0000, 0.0000, -2.5000, 4.3065),
    (50.0000, 2.5000, 0.0000, 73.0000, 25.0000, -18.0000, 27.1492),
    (50.0000, 2.5000, 0.0000, 61.0000, -5.0000, 29.0000, 22.8977),
    (50.0000, 2.5000, 0.0000, 56.0000, -27.0000, -3.0000, 31.9030),
    (50.0000, 2.5000, 0.0000, 58.0000, 24.0000, 15.0000, 19.4535),
    (50.0000, 2.5000, 0.0000, 50.0000, 3.1736, 0.5854, 1.0000),
    (50.0000, 2.5000, 0.0000, 50.0000, 3.2972, 0.0000, 1.0000),
    (50.0000, 2.5000, 0.0000, 50.0000, 1.8634, 0.5757, 1.0000),
    (50.0000, 2.5000, 0.0000, 50.0000, 3.2592, 0.3350, 1.0000),
    (60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644),
    (63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.2630),
    (61.2901, 3.7196, -5.3901, 61.4292, 2.2480, -4.9620, 1.8731),
    (35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645),
    (22.7233, 20.0904, -46.6940, 23.0331, 14.9730, -42.5619, 2.0373),
    (36.4612, 47.8580, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146),
    (90.8027, -2.0831, 1.4410, 91.1528, -1.6435, 0.0447, 1.4441),
    (90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381),
    (6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377),
    (2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082),
)


def test_srgb_transfer_agrees_with_iec_61966_2_1_as_in_colour_science() -> None:
    values = np.linspace(0, 1, 10001)
    assert np.abs(decode_srgb(values) - colour.models.eotf_sRGB(values)).max() < 1e-6
    assert np.abs(encode_srgb(values) - colour.models.eotf_inverse_sRGB(values)).max() < 1e-6


def test_encoding_to_8_bits_rounds_to_nearest_everywhere_within_a_thousandth_of_a_code() -> None:
    assert (encode_srgb_8bit(DECODE_8BIT) == np.arange(256)).all()
    linear = np.concatenate([np.linspace(0, 1, 200001), np.geomspace(1e-6, 1, 100001)]).astype(np.float32)
    exact = encode_srgb(linear).astype(np.float64) * 255
    assert np.abs(encode_srgb_8bit(linear) - exact).max() < 0.5005
    assert np.abs(encoded_units(linear) * 255.0 - exact).max() < 0.0005
    assert list(encode_srgb_8bit(np.array([-1.0, 2.0, np.inf], np.float32))) == [0, 255, 255]


def test_ciede2000_gives_the_34_published_differences() -> None:
    table = np.array(SHARMA)
    assert len(table) == 34
    assert np.abs(ciede2000(table[:, :3], table[:, 3:6]) - table[:, 6]).max() < 1e-4
    assert np.abs(ciede2000(table[:, 3:6], table[:, :3]) - table[:, 6]).max() < 1e-4


def test_lab_agrees_with_scikit_image() -> None:
    # scikit-image rounds the D65 white to four digits (CIE 015), which moves b* by up to 0.02.
    assert np.abs(linear_to_lab(decode_srgb(COLORS)) - skimage.color.rgb2lab(COLORS)).max() < 0.03


def test_oklab_agrees_with_css_color_4_as_in_coloraide() -> None:
    for color in COLORS[:60]:
        expected = Color("srgb", color).convert("oklab").coords()
        assert np.abs(linear_to_oklab(decode_srgb(color)) - expected).max() < 1e-5
    assert np.abs(oklab_to_linear(linear_to_oklab(COLORS)) - COLORS).max() < 1e-5
    lab = linear_to_oklab(COLORS)
    assert np.abs(oklch_to_oklab(oklab_to_oklch(lab)) - lab).max() < 1e-5


def test_an_oklch_color_outside_the_gamut_keeps_lightness_and_hue() -> None:
    rgb = oklch_to_linear_in_gamut(np.array([0.6, 0.4, 250.0]))
    lightness, chroma, hue = oklab_to_oklch(linear_to_oklab(rgb))
    assert rgb.min() >= 0
    assert rgb.max() <= 1
    assert lightness == pytest.approx(0.6, abs=0.01)
    assert hue == pytest.approx(250, abs=1)
    assert 0.05 < chroma < 0.4


def test_yiq_agrees_with_scikit_image_and_the_neutral_shift_is_the_identity() -> None:
    assert np.abs(rgb_to_yiq(COLORS) - skimage.color.rgb2yiq(COLORS)).max() < 1e-6
    assert np.abs(yiq_to_rgb(rgb_to_yiq(COLORS)) - COLORS).max() < 1e-6
    assert np.abs(hue_shift_matrix(0, 1) - np.eye(3)).max() < 1e-12
    # A turn by 120 degrees three times is no turn.
    assert np.abs(np.linalg.matrix_power(hue_shift_matrix(120, 1), 3) - np.eye(3)).max() < 1e-9
    # Luma (ITU-R BT.601) stays under any turn and saturation.
    shifted = COLORS @ hue_shift_matrix(77, 1.4).T
    assert np.abs(shifted @ BT601 - COLORS @ BT601).max() < 1e-6


def test_luma_weights_are_those_of_bt601_and_bt709() -> None:
    assert pytest.approx([0.299, 0.587, 0.114]) == BT601
    assert pytest.approx([0.2126, 0.7152, 0.0722]) == BT709
    assert BT601.sum() == pytest.approx(1)
    assert BT709.sum() == pytest.approx(1)


def test_hex_is_read_in_both_lengths_and_refused_otherwise() -> None:
    assert parse_hex("#D8693C") == (216, 105, 60)
    assert parse_hex("abc") == (170, 187, 204)
    assert linear_to_hex(hex_to_linear("#d8693c")) == "#d8693c"
    for text in ("", "#12", "#12345g", "red", "#1234567"):
        with pytest.raises(RecipeError, match="six hex digits"):
            parse_hex(text)
