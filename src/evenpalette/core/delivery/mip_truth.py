"""What a game sees of the kit from afar: its textures are averaged before the recipe runs, a delivered map after it.

Where the recipe is not linear in what it reads the two part. Measured on the CPU by evaluating the recipe on sources
averaged by 2, 4 and 8, as a chain of mip levels has them, against the full result averaged in linear light.
"""

import numpy as np

from evenpalette.core.color.encoding import encode_srgb_8bit
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.reading import resize_plane
from evenpalette.core.recipe.evaluate import evaluate

LEVELS = (1, 2, 3)


@dataclass(frozen=True)
class MipGap:
    """How far kit and map are apart at a mip level in a region, in 8-bit sRGB codes (largest channel).

    region: id, '' is the whole used area. place: (u, v) of the worst texel.
    """

    level: int
    region: str
    mean: float
    worst: int
    place: tuple[float, float]


def measure_mips(state: State, variant_id: str | None, progress: Progress = no_progress) -> list[MipGap]:
    """The gaps of a variant at half, a quarter and an eighth of the size: for the whole and for every region that has
    most of some texel there, the whole first, level by level."""
    steps = state.bound_steps(variant_id)
    sources = state.working
    width, height = sources.size
    full = evaluate(steps, sources, float_output=True, progress=lambda done: progress(done / 2)).pixels
    # What the map stores is clamped.
    full = np.clip(full, 0, 1)
    found: list[MipGap] = []
    for count, level in enumerate(LEVELS, 1):
        size = max(1, width >> level), max(1, height >> level)
        small = sources.at_size(*size)
        drawn = encode_srgb_8bit(evaluate(steps, small, float_output=True).pixels).astype(np.int16)
        wanted = encode_srgb_8bit(resize_plane(full, size)).astype(np.int16)
        apart = np.abs(drawn - wanted).max(-1)
        used = resize_plane(state.used.astype(np.float32), size) > 0.999
        used = used if used.any() else np.ones(used.shape, bool)
        found.append(_gap(level, "", apart, used))
        if small.coverages:
            owner = np.argmax(np.stack(list(small.coverages)), 0)
            for index, region in enumerate(state.region_ids):
                inside = used & (owner == index)
                if inside.any():
                    found.append(_gap(level, region, apart, inside))
        progress(0.5 + count / len(LEVELS) / 2)
    return found


def _gap(level: int, region: str, apart: np.ndarray, inside: np.ndarray) -> MipGap:
    masked = np.where(inside, apart, -1)
    row, column = np.unravel_index(int(masked.argmax()), masked.shape)
    place = (float(column) + 0.5) / masked.shape[1], (float(row) + 0.5) / masked.shape[0]
    return MipGap(level, region, float(apart[inside].mean()), int(masked.max()), place)
