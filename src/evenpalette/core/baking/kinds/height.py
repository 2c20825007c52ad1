"""Height: how far along an axis of the model."""

from collections.abc import Iterator, Mapping
from typing import Any

from evenpalette.core.baking.kind import AXIS, Around, BakeKind, known
from evenpalette.core.baking.openness import Estimate


def make(around: Around, values: Mapping[str, Any]) -> Iterator[Estimate]:
    """0 at the lower end of the model along the axis, 1 at the upper."""
    axis = "XYZ".index(values["axis"])
    low, high = (float(corner[axis]) for corner in around.mesh.bounds)
    return known((around.points.positions()[:, axis] - low) / max(high - low, 1e-20))


BAKE = BakeKind(
    "height", "Height along an axis", "From one end of the model, black, to the other, white",
    (AXIS,), make, role="mask", bits=16, order=60, source="linear between the ends of the box around the mesh", words="gradient mud waterline",
)  # fmt: skip
