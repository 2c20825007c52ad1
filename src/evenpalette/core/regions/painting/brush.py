"""The brush: its size and feel, and the tips it presses."""

from collections.abc import Callable
from functools import cache

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.regions.operations.noise import tileable_noise

#: Side of a tip's picture.
TIP_TEXELS = 128
SMALLEST_RADIUS, LARGEST_RADIUS = 0.5, 512.0


@dataclass(frozen=True)
class Brush:
    """How a stroke is laid down.

    radius: texels. hardness 0..1: the part of the radius that is full. flow 0..1: how much one dab lays down.
    spacing: between dabs, as a share of the diameter. tip: a key of TIPS. turns: each dab is turned by chance.
    scatter: how far dabs are thrown aside, as a share of the diameter. erases: takes coverage away.
    takes_from_others: other painted regions lose what this one gets. mirror: '', 'x', 'y' or 'z', the axis of the
    model across whose middle a stroke is repeated. pressure_sizes, pressure_flows: what the pen's pressure drives.
    seed: of turning and scattering.
    """

    radius: float = 24.0
    hardness: float = 0.7
    flow: float = 1.0
    spacing: float = 0.12
    tip: str = "round"
    turns: bool = True
    scatter: float = 0.0
    erases: bool = False
    takes_from_others: bool = True
    mirror: str = ""
    pressure_sizes: bool = False
    pressure_flows: bool = True
    seed: int = 1


def _bristles(size: int) -> NDArray[np.float32]:
    streaks = tileable_noise((1, size), 24, 3, 0.7, 5)[0]
    grain = tileable_noise((size, size), 16, 3, 0.6, 6)
    return np.asarray((streaks[None, :] - 0.5) * 2.4 + 0.62 + (grain - 0.5), np.float32)


def _spatter(size: int) -> NDArray[np.float32]:
    return np.asarray((tileable_noise((size, size), 14, 2, 0.4, 11) - 0.58) * 9, np.float32)


def _chalk(size: int) -> NDArray[np.float32]:
    return np.asarray((tileable_noise((size, size), 32, 4, 0.8, 3) - 0.42) * 4.5, np.float32)


def _round(size: int) -> NDArray[np.float32]:
    return np.ones((size, size), np.float32)


TIPS: dict[str, Callable[[int], NDArray[np.float32]]] = {
    "round": _round, "chalk": _chalk, "bristles": _bristles, "spatter": _spatter,
}  # fmt: skip


@cache
def tip_picture(tip: str) -> NDArray[np.float32]:
    """How much of a dab each place of the tip lays down, float32 (TIP_TEXELS, TIP_TEXELS) of 0..1."""
    return np.ascontiguousarray(np.clip(TIPS[tip](TIP_TEXELS), 0, 1))
