"""Regions held as the channels or the pure colors of one image: taking them apart and putting them together."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import RegionError
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.regions.dividing.flags import to_rgb8
from evenpalette.core.regions.dividing.unmix import unmix

#: Pure colors by their letter, in the order of the RGB cube's corners.
CORNERS = {
    "r": (255, 0, 0), "g": (0, 255, 0), "b": (0, 0, 255), "c": (0, 255, 255), "m": (255, 0, 255), "y": (255, 255, 0),
    "w": (255, 255, 255), "k": (0, 0, 0),
}  # fmt: skip
#: How an image can be taken apart: its channels, or its shares of six or eight pure colors.
SPLITS = {"rgb": "rgb", "rgba": "rgba", "six": "rgbcmy", "eight": "rgbcmywk"}


def split_channels(raster: Raster, kind: str) -> dict[str, NDArray]:
    """An image taken apart by a kind of SPLITS: letter to plane, float32 0..1 (channels) or uint8 coverage (colors).

    `six` and `eight` give each texel's shares of the pure colors; with `six`, black and white are what is left over.
    """
    letters = SPLITS[kind]
    if kind == "rgba" and raster.channels not in (2, 4):
        raise RegionError("This image has no alpha channel: split it as RGB.", flag="--as rgb.")
    if kind in ("rgb", "rgba"):
        return {letter: raster.channel(index) for index, letter in enumerate(letters)}
    shares = unmix(to_rgb8(raster.pixels), list(CORNERS.values()))
    return {letter: shares[list(CORNERS).index(letter)] for letter in letters}


def merge_channels(planes: list[Raster], depth: int = 8) -> Raster:
    """Three or four gray images as the channels of one, data, 8 or 16 bits. Raises RegionError when sizes differ."""
    if len({plane.size for plane in planes}) != 1:
        sizes = ", ".join(f"{plane.width} x {plane.height}" for plane in planes)
        raise RegionError(f"The images differ in size ({sizes}); bring them to one size first.")
    for letter, plane in zip("RGBA", planes, strict=False):
        if plane.channels >= 3 and not (plane.pixels[..., :3] == plane.pixels[..., :1]).all():
            raise RegionError(
                f"The image for {letter} is a color picture; merge takes gray ones. Make it gray or split it first."
            )
    stack = np.stack([plane.channel(0) for plane in planes], -1)
    return Raster(quantize(stack, np.dtype(np.uint8 if depth == 8 else np.uint16)), Encoding.DATA)
