"""Direction: which way the surface faces, as dust falls."""

from collections.abc import Iterator, Mapping
from typing import Any

from evenpalette.core.baking.kind import AXIS, Around, BakeKind, known
from evenpalette.core.baking.openness import Estimate


def make(around: Around, values: Mapping[str, Any]) -> Iterator[Estimate]:
    """1 where the surface faces along the axis, 0.5 across, 0 against it."""
    return known(around.points.normals()[:, "XYZ".index(values["axis"])] * 0.5 + 0.5)


BAKE = BakeKind(
    "direction", "Direction", "Which way the surface faces: white up, gray to the side, black down",
    (AXIS,), make, role="mask", order=50, source="cosine of the angle to the axis", words="dust snow rain above slope up",
)  # fmt: skip
