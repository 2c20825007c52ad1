"""How the grays of a tone are spread."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32, encode_srgb

BINS = 64


def gray_histogram(grays: F32) -> tuple[NDArray[np.float64], float]:
    """Counts of sRGB-encoded grays in 64 bins, and their mean, 0..1, of linear grays (n,). What is brighter than white
    counts as white."""
    values = encode_srgb(np.clip(grays, 0, 1))
    counts, _ = np.histogram(values, BINS, (0, 1))
    return counts.astype(np.float64), float(values.mean()) if values.size else 0.0
