"""What a tint can reach over a tone: the color that comes out on average, and whether the tone leaves room for it."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32
from evenpalette.core.color.hexcode import hex_to_linear, linear_to_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.raster.raster import Raster

#: A mean gray below the first makes every tint dark, above the second leaves little modelling: common practice, no
#: source.
DARK, FLAT = 0.18, 0.86
_MOST = 250_000


@dataclass(frozen=True)
class Headroom:
    """mean: of the gray, linear. low, high: of the bulk of it, 2nd and 98th percentile. word: 'dark', 'flat' or 'good'.

    gain: by what the tone would have to be brighter for a region's mean to be the tint itself, and clips: which part of
    the texels would then be brighter than white.
    """

    mean: float
    low: float
    high: float
    word: str
    gain: float
    clips: float

    def shown(self, tint: str) -> str:
        """The color that a region has on average with a tint, '#rrggbb'."""
        return linear_to_hex((hex_to_linear(tint) * self.mean).astype(np.float32))

    @property
    def brightest(self) -> str:
        """What a white tint comes out as on average: no tint gets the region lighter."""
        return self.shown("#ffffff")


def grays_of(tone: Raster, coverage: NDArray[np.uint8] | None = None) -> F32:
    """Linear grays (n,) of a tone, evenly spread, where a region covers at least half of the texel; None is
    everywhere."""
    stride = max(1, int(np.sqrt(tone.width * tone.height / _MOST)))
    # No copy of the whole: only every so manieth texel is decoded.
    small = Raster(np.ascontiguousarray(tone.pixels[::stride, ::stride, :1]), tone.encoding)
    gray: F32 = np.ascontiguousarray(small.channel(0))
    if coverage is None:
        return gray.reshape(-1)
    rows = np.linspace(0, coverage.shape[0] - 1, gray.shape[0]).astype(int)
    columns = np.linspace(0, coverage.shape[1] - 1, gray.shape[1]).astype(int)
    return np.asarray(gray[coverage[np.ix_(rows, columns)] >= 128])


def headroom_of(values: F32) -> Headroom:
    """The room that linear grays (n,) leave."""
    if not values.size:
        return Headroom(0.0, 0.0, 0.0, "good", 1.0, 0.0)
    mean = float(values.mean(dtype=np.float64))
    low, high = (float(v) for v in np.percentile(values, [2, 98]))
    gain = 1 / max(mean, 1e-4)
    word = "dark" if mean < DARK else "flat" if mean > FLAT and high - low < 0.25 else "good"
    return Headroom(mean, low, high, word, gain, float((values * gain > 1).mean()))
