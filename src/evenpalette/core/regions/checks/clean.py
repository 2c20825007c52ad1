"""Mending an ID image: pure flags, no specks or holes, no gaps on used texels."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.raster.padding import nearest_covered
from evenpalette.core.regions.dividing.bake import id_map_from
from evenpalette.core.regions.dividing.flags import FoundFlag, find_flags, to_rgb8
from evenpalette.core.regions.dividing.unmix import unmix


@dataclass(frozen=True)
class Cleaned:
    """image: uint8 (height, width, 3). pure: old flag to the one that took its place.

    purified, specks, gaps: texels changed by each. colors, off: how many different colors the image has, and how many
    of its texels are no pure flag, both before and after; what is left are the soft edges.
    """

    image: NDArray[np.uint8]
    pure: dict[str, str]
    purified: int
    specks: int
    gaps: int
    colors: tuple[int, int]
    off: tuple[int, int]

    def report(self) -> str:
        """What was done, and what it was before and after."""
        return (
            f"{self.purified:,} texels made pure, {self.specks:,} in specks and holes given to their surroundings, "
            f"{self.gaps:,} gaps closed. Colors: {self.colors[0]:,} before, {self.colors[1]:,} after. "
            f"Texels that are no pure flag: {self.off[0]:,} before, {self.off[1]:,} after (soft edges)."
        )


def clean_id_map(
    pixels: NDArray, *, smallest_texels: int = 16, close_gaps: bool = True, used: NDArray[np.bool_] | None = None
) -> Cleaned:
    """Mend an ID image; antialiased edges keep their shares.

    pixels: (height, width, 1..4), stored values. Every texel is solved as shares of the flags beside it and put
    together again from the pure flags. Connected pieces of one flag below `smallest_texels` (0 keeps all), the
    background's too, go to the nearest kept flag. With `close_gaps`, background on `used` texels (bool, same size; all
    where None is given nothing is closed) goes to the nearest region. Raises RegionError when it is no ID image.
    """
    image = to_rgb8(pixels)
    flags = find_flags(pixels)
    pure = [flag.pure if not flag.is_background else "#000000" for flag in flags]
    shares = unmix(image, [parse_hex(flag.color) for flag in flags])
    before = id_map_from(shares, pure)
    purified = int((before != image).any(-1).sum())
    specks = _give_away(shares, _small_pieces(shares, smallest_texels)) if smallest_texels > 0 else 0
    gaps = 0
    if close_gaps and used is not None:
        gaps = _close(shares, flags, used)
    names = {flag.color: new for flag, new in zip(flags, pure, strict=True)}
    after = id_map_from(shares, pure)
    (old_colors, old_off), (new_colors, new_off) = _purity(image, pure), _purity(after, pure)
    return Cleaned(after, names, purified, specks, gaps, (old_colors, new_colors), (old_off, new_off))


def _purity(image: NDArray[np.uint8], pure: Sequence[str]) -> tuple[int, int]:
    """How many colors an image has, and how many texels are none of the pure flags."""
    codes = image.astype(np.uint32) @ np.array([65536, 256, 1], np.uint32)
    counts = np.bincount(codes.reshape(-1), minlength=1 << 24)
    flags = {(r << 16) | (g << 8) | b for r, g, b in map(parse_hex, pure)}
    return int(np.count_nonzero(counts)), int(counts.sum() - sum(counts[flag] for flag in flags))


def _small_pieces(shares: NDArray[np.uint8], smallest: int) -> NDArray[np.bool_]:
    """Texels of connected pieces (by the largest share) that are smaller than wanted."""
    owner = shares.argmax(0)
    small = np.zeros(owner.shape, bool)
    for index in range(len(shares)):
        _, labels, stats, _ = cv2.connectedComponentsWithStats((owner == index).astype(np.uint8), connectivity=8)
        tiny = stats[:, cv2.CC_STAT_AREA] < smallest
        tiny[0] = False
        small |= tiny[labels]
    return small


def _give_away(shares: NDArray[np.uint8], lost: NDArray[np.bool_], allowed: NDArray[np.bool_] | None = None) -> int:
    """Give texels wholly to the flag of the nearest texel that may give one; returns how many. Changes `shares`."""
    givers = ~cv2.dilate(lost.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool) if allowed is None else allowed
    if not lost.any() or not givers.any():
        return 0
    taker = shares.argmax(0).reshape(-1)[nearest_covered(givers, givers.size)]
    # The soft rim of a speck goes with it.
    rim = (
        cv2.dilate(lost.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool) & ~givers if allowed is None else lost
    )
    shares[:, rim] = 0
    rows, columns = np.nonzero(rim)
    shares[taker[rows, columns], rows, columns] = 255
    return int(lost.sum())


def _close(shares: NDArray[np.uint8], flags: list[FoundFlag], used: NDArray[np.bool_]) -> int:
    background = [i for i, flag in enumerate(flags) if flag.is_background]
    if not background:
        return 0
    empty = np.isin(shares.argmax(0), background)
    return _give_away(shares, empty & used, ~empty)
