"""How the grays of a tone are spread."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.raster.raster import Encoding, Raster

BINS = 64


def tone_histogram(tone: Raster, coverage: NDArray[np.uint8] | None) -> tuple[NDArray[np.float64], float]:
    """Counts of the sRGB-encoded gray in 64 bins and its mean, 0..1, over texels with at least half coverage.

    At most a quarter million texels are read, evenly spread. coverage: uint8 (height, width), None is everywhere.
    """
    stride = max(1, int(np.sqrt(tone.width * tone.height / 250_000)))
    small = Raster(np.ascontiguousarray(tone.pixels[::stride, ::stride, :1]), Encoding.DATA)
    values = encode_srgb(small.channel(0)).reshape(-1)
    if coverage is not None:
        rows = np.linspace(0, coverage.shape[0] - 1, small.height).astype(int)
        columns = np.linspace(0, coverage.shape[1] - 1, small.width).astype(int)
        values = values[(coverage[np.ix_(rows, columns)] >= 128).reshape(-1)]
    counts, _ = np.histogram(values, BINS, (0, 1))
    return counts.astype(np.float64), float(values.mean()) if values.size else 0.0
