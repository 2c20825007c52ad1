"""The plain ways to make a gray from a color, to compare with and for the command line."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32, decode_srgb, encode_srgb
from evenpalette.core.color.lab import lightness
from evenpalette.core.color.luma import BT601, BT709, luminance
from evenpalette.core.color.oklab import linear_to_oklab
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.parallel import row_strips, run_over
from evenpalette.core.raster.raster import Encoding, Raster, quantize

#: Method to gray: takes linear RGB (..., 3), gives values 0..1 (...). All are encoded values but `luminance`.
_METHODS: dict[str, Callable[[F32], NDArray]] = {
    "red": lambda c: encode_srgb(c[..., 0]),
    "green": lambda c: encode_srgb(c[..., 1]),
    "blue": lambda c: encode_srgb(c[..., 2]),
    "mean": lambda c: encode_srgb(c).mean(-1),
    "bt601": lambda c: encode_srgb(c) @ BT601,
    "bt709": lambda c: encode_srgb(c) @ BT709,
    "luminance": luminance,
    "lightness": lambda c: lightness(c) / 100,
    "oklab": lambda c: linear_to_oklab(c)[..., 0],
}
METHODS = tuple(_METHODS)
LABELS = {
    "red": "Red channel", "green": "Green channel", "blue": "Blue channel", "mean": "Mean", "bt601": "BT.601 luma",
    "bt709": "BT.709 luma", "luminance": "Luminance", "lightness": "CIE lightness", "oklab": "OKLab lightness",
}  # fmt: skip


def to_gray(raster: Raster, method: str, *, workers: int = 0) -> Raster:
    """The picture as one gray channel by a method of METHODS.

    red, green, blue, mean, bt601, bt709: of the sRGB-encoded values (ITU-R BT.601-7, BT.709-6 weights), encoded.
    lightness: CIE L*/100; oklab: OKLab L; both stored as they are, marked sRGB, since both are perceptual scales.
    luminance: relative luminance, linear data. Depth follows the input: 8-bit gives 8-bit (16-bit for luminance), 16-bit
    gives 16-bit, float gives float with what is brighter than white kept. workers: threads, 0 is one for each core.
    """
    if method not in _METHODS:
        raise EvenPaletteError(f"'{method}' is not a way to make gray. There are: {', '.join(METHODS)}.")
    depth = raster.pixels.dtype
    if depth == np.uint8 and method == "luminance":
        depth = np.dtype(np.uint16)
    out = np.empty((raster.height, raster.width, 1), depth)

    def strip(rows: slice) -> None:
        linear = Raster(raster.pixels[rows], raster.encoding).as_linear_rgb()
        out[rows, :, 0] = quantize(np.asarray(_METHODS[method](linear), np.float32), depth)

    run_over(row_strips(raster.height, raster.width), strip, workers=workers)
    encoding = Encoding.DATA if method == "luminance" else Encoding.SRGB
    return Raster(out, encoding)


def gray_as_linear(linear_rgb: F32, method: str) -> F32:
    """The gray of a method as linear light, to be multiplied by a tint: encoded methods are decoded; shape (...)."""
    values = np.asarray(_METHODS[method](linear_rgb), np.float32)
    if method == "luminance":
        return values
    return decode_srgb(values)
