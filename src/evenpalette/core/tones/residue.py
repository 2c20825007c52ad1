"""What one gray and one tint cannot rebuild: how far the hue wanders inside a region and how its chroma varies."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32
from evenpalette.core.color.oklab import linear_to_oklab
from evenpalette.core.parallel import Progress, no_progress, row_strips
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.recipe.sources import Sources
from evenpalette.core.recipe.steps.residue import MIDDLE, MOST_CHROMA, MOST_TURNS

#: Below this chroma a color has no hue to speak of: nothing is stored.
_GRAY = 0.012
_STRIP_TEXELS = 1 << 19


def residue_map(
    steps: list[BoundStep],
    sources: Sources,
    painted: Raster,
    clear: NDArray | None = None,
    progress: Progress = no_progress,
) -> Raster:
    """Hue and chroma of the paint against what the steps rebuild, as a Residue step reads them: uint8 RG, data.

    Red is the turn of the OKLCh hue, an eighth to either side of 128; green the factor of chroma, 128 is 1. clear: how
    much of the paint is seen, 0..1 (height, width): under dirt there is none to learn from.
    """
    height, width = painted.height, painted.width
    out = np.empty((height, width, 3), np.uint8)
    strips = row_strips(height, width, _STRIP_TEXELS)
    for number, rows in enumerate(strips, 1):
        box = (0, rows.start, width, rows.stop)
        made = evaluate(steps, sources, box=box, float_output=True).pixels
        wanted = Raster(painted.pixels[rows], painted.encoding).as_linear_rgb()
        out[rows] = _offsets(made, wanted, clear[rows] if clear is not None else None)
        progress(number / len(strips))
    return Raster(out, Encoding.DATA)


def _offsets(made: F32, wanted: F32, clear: NDArray | None) -> NDArray[np.uint8]:
    first, second = (linear_to_oklab(np.maximum(picture[..., :3], 0)) for picture in (made, wanted))
    a, b = first[..., 1] + 1j * first[..., 2], second[..., 1] + 1j * second[..., 2]
    chroma = np.abs(a)
    sure = np.clip(chroma / _GRAY - 1, 0, 1)
    if clear is not None:
        sure = sure * clear
    turn = np.angle(b * np.conj(a)) / (2 * np.pi)
    # A hue that turns further than can be stored would come out as another one: it keeps its own, with less chroma.
    inside = np.clip(turn, -MOST_TURNS, MOST_TURNS)
    factor = np.abs(b) / np.maximum(chroma, 1e-6) * np.clip(np.cos(2 * np.pi * (turn - inside)), 0, 1)
    red = MIDDLE + inside * sure / (2 * MOST_TURNS)
    green = MIDDLE * (1 + (np.clip(factor, 0, MOST_CHROMA - 1 / 128) - 1) * sure)
    codes = np.stack([red, green, np.full_like(red, MIDDLE)], -1)
    return np.rint(np.clip(codes, 0, 1) * 255).astype(np.uint8)
