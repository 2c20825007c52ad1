"""Index textures and strips: a gray whose value is a position in a palette, and the small image of the palettes.

With n colors entry i has the level round(i * 255 / (n - 1)), so that the whole range is used, and lies in the middle of
its texel of the strip, at (i + 0.5) / n.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import ImageFileError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.strips import entries_of_levels, levels_of
from evenpalette.core.tones.palettes.census import codes_of


def index_levels(count: int) -> NDArray[np.uint8]:
    """The level of each of 1 to 256 entries, uint8 (count,)."""
    if count == 1:
        return np.zeros(1, np.uint8)
    return np.asarray((np.arange(count) * 510 + (count - 1)) // (2 * (count - 1)), np.uint8)


def index_raster(indices: NDArray[np.uint8], count: int) -> Raster:
    """The index texture of entries (height, width): 8-bit gray data with levels stretched to 0..255."""
    return Raster(np.take(index_levels(count), indices)[..., None], Encoding.DATA)


def strip_raster(rows: Sequence[NDArray[np.uint8]], height: int = 1) -> Raster:
    """The strip of palettes, uint8 (n, 3 or 4) each, all of one length: width n, `height` texels for each row."""
    if len({len(row) for row in rows}) != 1:
        raise ImageFileError("All rows of a strip have the same number of colors.")
    channels = max(row.shape[1] for row in rows)
    wide = [np.pad(row, ((0, 0), (0, channels - row.shape[1])), constant_values=255) for row in rows]
    return Raster(np.repeat(np.stack(wide), height, 0), Encoding.SRGB)


def palettes_of(strip: Raster) -> NDArray[np.uint8]:
    """The rows of a strip as 8-bit sRGB codes, uint8 (rows, n, 3 or 4). Raises ImageFileError for more than 256
    colors."""
    if strip.width > 256:
        raise ImageFileError(f"A strip has at most 256 colors in a row; this one is {strip.width} texels wide.")
    return codes_of(strip, alpha=strip.channels in (2, 4))


def restore(index: Raster, strip: Raster, row: int = 0) -> Raster:
    """The picture that an index texture and a row of a strip stand for, sRGB (height, width, 3 or 4).

    index: gray data; of a picture with several channels the first counts. row: 0 is the top one. Raises ImageFileError.
    """
    rows = palettes_of(strip)
    if not 0 <= row < len(rows):
        raise ImageFileError(f"There is no row {row}: the strip has rows 0 to {len(rows) - 1}.")
    table = np.take(rows[row], entries_of_levels(strip.width), axis=0)
    return Raster(looked_up(levels_of(index), table), Encoding.SRGB)


def looked_up(levels: NDArray[np.uint8], table: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """table (256, 3 or 4) at levels (height, width). Whole texels at once: a third of the time of one take by rows."""
    if table.shape[1] == 4:
        words = np.take(np.ascontiguousarray(table).view(np.uint32)[:, 0], levels)
        return words.view(np.uint8).reshape(*levels.shape, 4)
    import cv2

    gray = np.ascontiguousarray(levels)
    return np.asarray(cv2.LUT(cv2.merge([gray] * 3), np.ascontiguousarray(table[None])))


@dataclass(frozen=True)
class Fault:
    """What is wrong with an index texture: a word for scripts, and a sentence that says what to do."""

    code: str
    text: str


def find_faults(index: Raster, strip: Raster, source: Raster | None = None) -> list[Fault]:
    """What speaks against an index texture and its strip: levels between entries (gamma, JPEG, filtering), levels that
    stop short of the range, several channels that differ, one color only."""
    found: list[Fault] = []
    count, levels = strip.width, levels_of(index)
    used = np.flatnonzero(np.bincount(levels.reshape(-1), minlength=256))
    known = index_levels(count)
    off = np.setdiff1d(used, known)
    if strip.width > 256:
        return [Fault("wide", f"The strip is {strip.width} texels wide; an 8-bit index reaches 256 colors.")]
    if count == 1:
        found.append(Fault("one-color", "The palette has one color: there is nothing to recolor by its rows."))
    share = float(np.isin(levels, off).mean()) if len(off) else 0.0
    if len(off) and count > 1:
        text = f"{share:.1%} of the texels lie between entries"
        curve = _curve(used, count)
        if len(used) <= count and used.max() < 255 and np.array_equal(used, np.arange(len(used))):
            text = f"Levels are 0 to {int(used.max())} and not stretched to 255, so a lookup reads only the beginning of the strip. Write them as round(i * 255 / {count - 1})."
            found.append(Fault("not-stretched", text))
        elif curve:
            found.append(
                Fault(
                    "gamma",
                    f"The levels fit entries that went through an sRGB {curve}: save it as data, without gamma. {text}.",
                )
            )
        elif share > 0.02 and len(used) > 1.5 * min(count, 128):
            found.append(
                Fault("lossy", f"{text}: it was filtered, resized or saved as JPEG. Save it as PNG, at its own size.")
            )
        else:
            found.append(Fault("between", f"{text}: each is taken for the nearest entry."))
    if index.channels >= 3 and np.abs(index.pixels[..., 0].astype(int) - index.pixels[..., 1]).max() > 0:
        found.append(Fault("colored", "Its channels differ; the red one is read. An index texture is gray."))
    if source is not None and source.size != index.size:
        found.append(
            Fault(
                "size", f"The source is {source.width} by {source.height}, the index {index.width} by {index.height}."
            )
        )
    return found


def _curve(used: NDArray, count: int) -> str:
    """Whether levels are those of entries that were encoded or decoded by the sRGB curve: its word, else ''."""
    from evenpalette.core.color.encoding import decode_srgb, encode_srgb

    if not 2 < count <= 128 or len(used) > count:
        return ""
    clean = index_levels(count) / 255
    for word, curve in (("encoding", encode_srgb), ("decoding", decode_srgb)):
        bent = np.unique(np.rint(curve(clean) * 255).astype(int))
        if np.isin(used, bent).all():
            return word
    return ""
