"""Bent normal: where the open sky lies from each place."""

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from evenpalette.core.baking.frames import in_tangent_space
from evenpalette.core.baking.kind import AXES, CASTERS, GROUND, RAYS, REACH, Around, BakeKind
from evenpalette.core.baking.openness import Estimate, openness


def make(around: Around, values: Mapping[str, Any]) -> Iterator[Estimate]:
    """The mean open direction as a normal map with green up, in the mesh's tangent space or its own axes."""
    reach = float(values["reach"]) * around.size
    for found in openness(
        around.points, around.traced, rays=int(values["rays"]), reach=reach, directions=True, progress=around.progress
    ):
        ways = found.values[:, 1:]
        length = np.linalg.norm(ways, axis=1, keepdims=True)
        ways = np.where(length > 1e-6, ways / np.maximum(length, 1e-6), around.points.normals())
        made = in_tangent_space(around.low, ways) if values["axes"] == "The surface's" else ways
        yield Estimate(found.rays, (made * 0.5 + 0.5).astype(np.float32), found.variance)


BAKE = BakeKind(
    "bent-normal", "Bent normal", "Where the open sky lies, as a normal map",
    (RAYS, REACH, CASTERS, GROUND, AXES), make, channels=3, traced=True, order=20,
    source="H. Landis, Production-Ready Global Illumination, SIGGRAPH 2002 course (from memory)", words="sky direction",
)  # fmt: skip
