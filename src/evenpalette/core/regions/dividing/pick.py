"""Soft coverages by the distance to flag colors.

Coverage is 1 up to `near`, 0 from `far`, and linear between; distances are Euclidean in 8-bit encoded RGB, 0..442.
"""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.difference import ciede2000, difference_to_color
from evenpalette.core.color.encoding import decode_srgb, decode_srgb_8bit, decoded_codes, encode_srgb
from evenpalette.core.color.lab import linear_to_lab
from evenpalette.core.color.oklab import linear_to_oklab
from evenpalette.core.kernels import njit, prange
from evenpalette.core.parallel import row_strips, run_over
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import channel_values, unit_values

#: How colors are compared: Euclidean in 8-bit RGB (0..442), CIEDE2000, or OKLab distance times 100.
METRICS = ("rgb", "ciede2000", "oklab")


@njit(nogil=True, cache=True, parallel=True, fastmath=True)
def _pick(image, flags, near, far, normalize, out):  # type: ignore[no-untyped-def]
    count = flags.shape[0]
    width = image.shape[1]
    for row in prange(image.shape[0]):
        values = np.zeros(count, np.float32)
        codes = np.zeros(count, np.uint8)
        last_r, last_g, last_b = np.int32(-1), np.int32(-1), np.int32(-1)
        for column in range(width):
            r, g, b = np.int32(image[row, column, 0]), np.int32(image[row, column, 1]), np.int32(image[row, column, 2])
            # ID maps are runs of one color: the answer for the previous texel is nearly always right.
            if r != last_r or g != last_g or b != last_b:
                last_r, last_g, last_b = r, g, b
                total = np.float32(0)
                for k in range(count):
                    dr, dg, db = r - flags[k, 0], g - flags[k, 1], b - flags[k, 2]
                    distance = np.sqrt(np.float32(dr * dr + dg * dg + db * db))
                    span = far[k] - near[k]
                    if distance <= near[k]:
                        v = np.float32(1)
                    elif distance >= far[k] or span <= 0:
                        v = np.float32(0)
                    else:
                        v = (far[k] - distance) / span
                    values[k] = v
                    total += v
                scale = np.float32(255) / total if normalize and total > 1 else np.float32(255)
                room = 255
                for k in range(count):
                    code = int(values[k] * scale + np.float32(0.5))
                    if normalize:
                        code = min(code, room)
                        room -= code
                    codes[k] = code
            for k in range(count):
                out[k, row, column] = codes[k]


def pick_coverages(
    image: NDArray[np.uint8],
    colors: Sequence[tuple[int, ...]],
    near: list[float],
    far: list[float],
    *,
    normalize: bool = True,
) -> NDArray[np.uint8]:
    """Coverages of several flags at once: uint8 (flags, height, width), 255 is full.

    image: uint8 (height, width, 3). near, far: one value per flag, 0..442. With `normalize` the coverages of a texel
    sum to at most 255; where they would exceed it they are divided by their sum.
    """
    out = np.empty((len(colors), *image.shape[:2]), np.uint8)
    if colors:
        _pick(
            np.ascontiguousarray(image), np.array(colors, np.int32).reshape(-1, 3),
            np.array(near, np.float32), np.array(far, np.float32), normalize, out,
        )  # fmt: skip
    return out


@njit(nogil=True, cache=True, fastmath=True)
def _near_far(stored, scale, second, third, color, near, far, full, out):  # type: ignore[no-untyped-def]
    """Coverage of a color by the distance in 8-bit codes. stored: (n, channels); scale: from stored values to codes;
    second, third: which channels are green and blue."""
    steep = np.float32(1) / (far - near) if far > near else np.float32(0)
    for i in range(stored.shape[0]):
        dr = np.float32(stored[i, 0]) * scale - color[0]
        dg = np.float32(stored[i, second]) * scale - color[1]
        db = np.float32(stored[i, third]) * scale - color[2]
        distance = np.sqrt(dr * dr + dg * dg + db * db)
        share = np.float32(1) if distance <= near else np.float32(0)
        if near < distance < far:
            share = (far - distance) * steep
        out[i] = int(share * full + np.float32(0.5))


def codes_of(pixels: NDArray, encoding: Encoding) -> NDArray[np.float32]:
    """Stored pixels (..., 1..4) as encoded RGB in 8-bit codes, float32 (..., 3): 16 bits keep their steps, linear light
    is encoded first."""
    rgb = np.repeat(pixels[..., :1], 3, -1) if pixels.shape[-1] <= 2 else pixels[..., :3]
    values = unit_values(np.ascontiguousarray(rgb))
    if encoding is Encoding.LINEAR:
        values = encode_srgb(np.clip(values, 0, None))
    return np.asarray(values * np.float32(255), np.float32)


def pick_from(
    raster: Raster, color: tuple[int, int, int], near: float, far: float, metric: str = "rgb", *, depth: int = 8,
    workers: int = 0,
) -> NDArray:  # fmt: skip
    """Coverage of one color, uint8 or with depth 16 uint16 (height, width): 1 up to near, 0 from far, linear between.

    Compared at the depth that the image has, on encoded values (linear light is encoded first); texels that are more
    than half transparent are left out. near, far: in 8-bit codes for `rgb`. workers: threads, 0 is one for each core.
    """
    full = 255 if depth == 8 else 65535
    out = np.zeros((raster.height, raster.width), np.uint8 if depth == 8 else np.uint16)
    wanted = np.array(color, np.float32)

    green, blue = (0, 0) if raster.channels <= 2 else (1, 2)
    as_stored = raster.pixels.dtype != np.float32
    lab = linear_to_lab(decode_srgb_8bit(np.array(color, np.uint8)))

    def strip(rows: slice) -> None:
        stored = raster.pixels[rows]
        if metric == "rgb":
            if as_stored:
                scale = np.float32(255 / np.iinfo(stored.dtype).max)
                values, second, third = stored, green, blue
            else:
                scale, values, second, third = np.float32(1), codes_of(stored, raster.encoding), 1, 2
            flat, limits = out[rows].reshape(-1), (np.float32(near), np.float32(far))
            _near_far(values.reshape(-1, values.shape[2]), scale, second, third, wanted, *limits, full, flat)
        elif metric == "ciede2000" and as_stored:
            flat = difference_to_color(
                np.ascontiguousarray(stored).reshape(-1, stored.shape[2]),
                decoded_codes(stored.dtype.itemsize * 8),
                lab,
                far,
            )
            out[rows] = np.rint(coverage_of(flat.reshape(stored.shape[:2]), near, far) * full)
        else:
            distances = color_distances(codes_of(stored, raster.encoding), color, metric)
            out[rows] = np.rint(coverage_of(distances, near, far) * full)
        if raster.channels in (2, 4):
            out[rows][channel_values(raster.pixels[rows], 3) < 0.5] = 0

    run_over(row_strips(raster.height, raster.width), strip, workers=workers)
    return out


def color_distances(image: NDArray, color: tuple[int, int, int], metric: str) -> NDArray[np.float32]:
    """Distance of every texel (height, width, 3), encoded in 8-bit codes of any dtype, to a color in a metric of
    METRICS; float32 (height, width)."""
    if metric == "rgb":
        return np.sqrt(((image.astype(np.float32) - np.array(color, np.float32)) ** 2).sum(-1))
    wanted = decode_srgb_8bit(np.array(color, np.uint8))
    if image.dtype != np.uint8:
        return _distances(decode_srgb(image / np.float32(255)), wanted, metric)
    # ID maps and painted textures hold few colors next to their texels: each is compared once.
    keys = image.astype(np.uint32) @ np.array([65536, 256, 1], np.uint32)
    unique, inverse = np.unique(keys, return_inverse=True)
    table = np.stack([unique >> 16, (unique >> 8) & 255, unique & 255], -1).astype(np.uint8)
    return _distances(decode_srgb_8bit(table), wanted, metric)[inverse.reshape(image.shape[:2])]


def _distances(linear: NDArray, wanted: NDArray, metric: str) -> NDArray[np.float32]:
    if metric == "ciede2000":
        return np.asarray(ciede2000(linear_to_lab(linear), linear_to_lab(wanted)), np.float32)
    return np.asarray(np.linalg.norm(linear_to_oklab(linear) - linear_to_oklab(wanted), axis=-1) * 100, np.float32)


def coverage_of(distances: NDArray[np.float32], near: float, far: float) -> NDArray[np.float32]:
    """Coverage by distance, float32 0..1: 1 up to near, 0 from far, linear between."""
    if far <= near:
        return (distances <= near).astype(np.float32)
    return np.clip((np.float32(far) - distances) / np.float32(far - near), 0, 1).astype(np.float32)


def pick_by_color(
    image: NDArray[np.uint8], color: tuple[int, int, int], near: float, far: float, metric: str = "rgb"
) -> NDArray[np.float32]:
    """Coverage of one color of an 8-bit picture, float32 0..1 (height, width)."""
    return coverage_of(color_distances(image, color, metric), near, far)


def keep_contiguous(coverage: NDArray[np.uint8], seed: tuple[float, float]) -> None:
    """Clear, in place, everything but the connected piece of a coverage (height, width) that holds the (u, v)
    `seed`."""
    height, width = coverage.shape
    y, x = min(height - 1, max(0, int(seed[1] * height))), min(width - 1, max(0, int(seed[0] * width)))
    _, labels = cv2.connectedComponents((coverage > 0).astype(np.uint8), connectivity=8)
    coverage[(labels != labels[y, x]) | (labels[y, x] == 0)] = 0
