"""Finding the flag colors of an ID image, and planning new ones.

A flag is a color that fills areas. Antialiased, resampled or lossy edges make thousands of other colors, but those
seldom lie beside an equal neighbor, so only texels in flat surroundings are counted.
"""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.flag_plan import FLAG_ORDER, MAX_FLAGS
from evenpalette.core.color.hexcode import format_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import RegionError
from evenpalette.core.kernels import njit, prange

#: Two flat colors closer than this (Euclidean, 8-bit RGB) are one flag that was saved impurely.
_SAME_FLAG_DISTANCE = 26.0
_FLAT_TOLERANCE = 6


@dataclass(frozen=True)
class FoundFlag:
    """A color that fills areas of an ID image.

    color: the most frequent exact color, '#rrggbb'. pure: the corner of the RGB cube it was probably meant to be, or
    itself when it is not near a corner. share: part of all flat texels, 0..1. is_background: black or transparent.
    """

    color: str
    pure: str
    share: float
    is_background: bool


@njit(nogil=True, cache=True, parallel=True)
def _flat_colors(image, tolerance, out):  # type: ignore[no-untyped-def]
    """The color of each texel that is like its four neighbors, as one number; -1 of the others."""
    height, width = image.shape[0], image.shape[1]
    for row in prange(1, height - 1):
        for column in range(1, width - 1):
            same = True
            for channel in range(3):
                v = np.int16(image[row, column, channel])
                if (
                    abs(np.int16(image[row, column - 1, channel]) - v) > tolerance
                    or abs(np.int16(image[row, column + 1, channel]) - v) > tolerance
                    or abs(np.int16(image[row - 1, column, channel]) - v) > tolerance
                    or abs(np.int16(image[row + 1, column, channel]) - v) > tolerance
                ):
                    same = False
                    break
            if same:
                out[row, column] = (
                    (np.int32(image[row, column, 0]) << 16)
                    | (np.int32(image[row, column, 1]) << 8)
                    | np.int32(image[row, column, 2])
                )


@njit(nogil=True, cache=True)
def _count(colors, counts):  # type: ignore[no-untyped-def]
    """How often each color comes; on one thread, so that equal images give equal counts."""
    total = 0
    for color in colors.flat:
        if color >= 0:
            counts[color] += 1
            total += 1
    return total


def to_rgb8(pixels: NDArray) -> NDArray[np.uint8]:
    """Stored pixels of any depth as 8-bit RGB in their own encoding, transparent texels black; (height, width, 3)."""
    if pixels.dtype == np.uint16:
        pixels = np.round(pixels / 257.0).astype(np.uint8)
    elif pixels.dtype == np.float32:
        pixels = np.round(np.clip(pixels, 0, 1) * 255).astype(np.uint8)
    if pixels.shape[2] <= 2:
        rgb = np.repeat(pixels[..., :1], 3, -1)
    else:
        rgb = pixels[..., :3]
    if pixels.shape[2] in (2, 4):
        rgb = np.where(pixels[..., -1:] < 128, np.uint8(0), rgb)
    return np.ascontiguousarray(rgb)


def find_flags(pixels: NDArray, *, smallest_share: float = 0.0004) -> list[FoundFlag]:
    """The flag colors of an ID image, largest first; the background too, marked as such.

    pixels: (height, width, 1..4), stored values of any depth. Raises RegionError when more than 64 colors fill areas.
    """
    image = to_rgb8(pixels)
    if min(image.shape[:2]) < 3:
        raise RegionError("An image this small holds no areas of color; an ID map needs at least 3 by 3 texels.")
    counts = np.zeros(1 << 24, np.int64)
    flat = np.full(image.shape[:2], -1, np.int32)
    _flat_colors(image, _FLAT_TOLERANCE, flat)
    total = int(_count(flat, counts))
    if total == 0:
        raise RegionError("No color fills an area of this image, so it is not an ID map.")
    keys = np.flatnonzero(counts)
    keys = keys[np.argsort(-counts[keys], kind="stable")][:20000]
    colors = np.stack([keys >> 16, (keys >> 8) & 255, keys & 255], -1).astype(np.float64)
    centers: list[NDArray] = []
    sums: list[float] = []
    for color, count in zip(colors, counts[keys], strict=True):
        if centers:
            distances = np.linalg.norm(np.array(centers) - color, axis=1)
            nearest = int(distances.argmin())
            if distances[nearest] < _SAME_FLAG_DISTANCE:
                sums[nearest] += float(count)
                continue
        if len(centers) >= 4 * MAX_FLAGS:
            break
        centers.append(color)
        sums.append(float(count))
    found = [
        FoundFlag(
            color=format_hex(tuple(int(v) for v in center)),  # type: ignore[arg-type]
            pure=nearest_pure(format_hex(tuple(int(v) for v in center))),  # type: ignore[arg-type]
            share=count / total,
            is_background=bool(center.max() < 24),
        )
        for center, count in zip(centers, sums, strict=True)
        if count / total >= smallest_share and count >= 4
    ]
    if len(found) > MAX_FLAGS:
        raise RegionError(
            f"{len(found)} colors fill areas of this image; an ID map has at most {MAX_FLAGS}. Is it the painted texture? Then pick its colors one by one."
        )
    return sorted(found, key=lambda flag: -flag.share)


def nearest_pure(color: str) -> str:
    """The corner of the RGB cube within 40 of each channel of the color, else the color itself."""
    codes = [int(color[i : i + 2], 16) for i in (1, 3, 5)]
    if all(code <= 40 or code >= 215 for code in codes):
        return format_hex(tuple(255 if code >= 215 else 0 for code in codes))  # type: ignore[arg-type]
    return color


def next_flag(taken: list[str]) -> str:
    """A flag color that is not taken: the pure corners first, then the candidate farthest from all taken."""
    for color in FLAG_ORDER:
        if color not in taken:
            return color
    levels = (0, 64, 128, 192, 255)
    grid = np.array([(r, g, b) for r in levels for g in levels for b in levels if r + g + b > 96], np.float64)
    used = np.array([[int(color[i : i + 2], 16) for i in (1, 3, 5)] for color in taken], np.float64)
    distances = np.linalg.norm(grid[:, None] - used[None], axis=-1).min(1)
    return format_hex(tuple(int(v) for v in grid[int(distances.argmax())]))  # type: ignore[arg-type]
