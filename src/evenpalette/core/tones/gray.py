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
PRINCIPAL = "principal"
METHODS = (*_METHODS, PRINCIPAL)
LABELS = {
    "red": "Red channel", "green": "Green channel", "blue": "Blue channel", "mean": "Mean", "bt601": "BT.601 luma",
    "bt709": "BT.709 luma", "luminance": "Luminance", "lightness": "CIE lightness", "oklab": "OKLab lightness",
    "principal": "Principal direction",
}  # fmt: skip


def principal_direction(colors: F32, weights: NDArray | None = None) -> NDArray[np.float64]:
    """The direction from black along which colors, linear (..., 3), vary most: length 1, no part below 0. weights:
    (...)."""
    flat = colors.reshape(-1, 3).astype(np.float64)
    held = flat if weights is None else flat * np.asarray(weights, np.float64).reshape(-1, 1)
    direction = np.abs(np.linalg.eigh(held.T @ flat)[1][:, -1])
    return np.asarray(direction / max(float(np.linalg.norm(direction)), 1e-12))


def along(colors: F32, direction: NDArray) -> F32:
    """How far colors, linear (..., 3), go along a direction: 1 where the direction reaches the edge of the gamut."""
    return np.asarray(colors @ (direction * direction.max()), np.float32)


def to_gray(raster: Raster, method: str, *, workers: int = 0) -> Raster:
    """The picture as one gray channel by a method of METHODS.

    red, green, blue, mean, bt601, bt709: of the sRGB-encoded values (ITU-R BT.601-7, BT.709-6 weights), encoded.
    lightness: CIE L*/100; oklab: OKLab L; both stored as they are, marked sRGB, since both are perceptual scales.
    luminance: relative luminance, linear data. principal: along the direction in which the colors vary most, encoded.
    Alpha is kept as a second channel where it is not everywhere full. Depth follows the input: 8-bit gives 8-bit
    (16-bit for luminance), 16-bit gives 16-bit, float gives float with what is brighter than white kept. workers:
    threads, 0 is one for each core.
    """
    if method not in METHODS:
        raise EvenPaletteError(f"'{method}' is not a way to make gray. There are: {', '.join(METHODS)}.")
    depth = raster.pixels.dtype
    if depth == np.uint8 and method == "luminance":
        depth = np.dtype(np.uint16)
    cut = raster.is_cut
    out = np.empty((raster.height, raster.width, 2 if cut else 1), depth)
    gray = _METHODS[method] if method != PRINCIPAL else _by_direction(raster)

    def strip(rows: slice) -> None:
        part = Raster(raster.pixels[rows], raster.encoding)
        out[rows, :, 0] = quantize(np.asarray(gray(part.as_linear_rgb()), np.float32), depth)
        if cut:
            out[rows, :, 1] = quantize(part.channel(3), depth)

    run_over(row_strips(raster.height, raster.width), strip, workers=workers)
    encoding = Encoding.DATA if method == "luminance" else Encoding.SRGB
    return Raster(out, encoding)


def _by_direction(raster: Raster) -> Callable[[F32], NDArray]:
    stride = max(1, int(np.sqrt(raster.width * raster.height / 250_000)))
    few = Raster(np.ascontiguousarray(raster.pixels[::stride, ::stride]), raster.encoding).as_linear_rgb()
    direction = principal_direction(few)
    return lambda colors: encode_srgb(along(colors, direction))


def gray_as_linear(linear_rgb: F32, method: str) -> F32:
    """The gray of a method as linear light, to be multiplied by a tint: encoded methods are decoded; shape (...)."""
    if method == PRINCIPAL:
        return along(linear_rgb, principal_direction(linear_rgb))
    values = np.asarray(_METHODS[method](linear_rgb), np.float32)
    if method == "luminance":
        return values
    return decode_srgb(values)
