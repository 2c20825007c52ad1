"""Thickness: how far through the body it is to the other side."""

from collections.abc import Iterator, Mapping
from typing import Any

from evenpalette.core.baking.kind import RAYS, REACH, Around, BakeKind
from evenpalette.core.baking.openness import Estimate
from evenpalette.core.baking.volume import through


def make(around: Around, values: Mapping[str, Any]) -> Iterator[Estimate]:
    """The mean way into the body, along the normal, as a share of the reach: 1 is that and more."""
    reach = (float(values["reach"]) or 1.0) * around.size
    return through(around.points, around.traced, rays=int(values["rays"]), reach=reach, progress=around.progress)


BAKE = BakeKind(
    "thickness", "Thickness", "Thin walls are dark, where light shines through; thick ones white",
    (RAYS, REACH), make, role="mask", traced=True, bits=16, order=40, source="rays into the body by the cosine law within 45 degrees, each way taken along the normal: common practice",
    words="translucent subsurface wax paper thin",
)  # fmt: skip
