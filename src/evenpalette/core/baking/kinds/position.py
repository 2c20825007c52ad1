"""Position: where on the model a texel lies."""

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from evenpalette.core.baking.kind import Around, BakeKind, known
from evenpalette.core.baking.openness import Estimate


def make(around: Around, _: Mapping[str, Any]) -> Iterator[Estimate]:
    """x, y and z from the lower corner of the box around the mesh, the same scale on all axes: its longest side is
    1."""
    low, high = (corner.astype(np.float64) for corner in around.mesh.bounds)
    return known((around.points.positions() - low) / max(float((high - low).max()), 1e-20))


BAKE = BakeKind(
    "position", "Position", "Where on the model a texel lies: x, y and z as red, green and blue",
    (), make, channels=3, bits=16, order=70, source="the box around the mesh, the same scale on all axes",
)  # fmt: skip
