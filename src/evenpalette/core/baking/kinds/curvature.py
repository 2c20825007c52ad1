"""Curvature: what stands out and what lies in."""

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from evenpalette.core.baking.kind import RAYS, Around, BakeKind
from evenpalette.core.baking.openness import Estimate
from evenpalette.core.baking.volume import outside
from evenpalette.core.values import Input, ValueType


def make(around: Around, values: Mapping[str, Any]) -> Iterator[Estimate]:
    """The share of a ball around each place that lies outside of the body: 0.5 on a plane, above it where it stands
    out."""
    radius = float(values["radius"]) * around.size
    for found in outside(
        around.points, around.traced, rays=int(values["rays"]), radius=radius, progress=around.progress
    ):
        plane, shows = found.values, values["shows"]
        if shows == "What stands out":
            plane = np.clip(plane * 2 - 1, 0, 1)
        elif shows == "What lies in":
            plane = np.clip(1 - plane * 2, 0, 1)
        yield Estimate(found.rays, plane, found.variance)


BAKE = BakeKind(
    "curvature", "Curvature", "Edges that stand out are bright, grooves dark, the plane is the middle",
    (
        RAYS, Input("radius", "Radius", ValueType.NUMBER, 0.02, 0.001, 0.5, description="As a share of the model's size: how wide edges show"),
        Input("shows", "Shows", ValueType.CHOICE, "Both", choices=("Both", "What stands out", "What lies in")),
    ),
    make, role="mask", traced=True, order=30,
    source="volume invariant, H. Pottmann et al., Integral invariants for robust geometry processing, 2009: 1/2 + 3/16 of the mean curvature times the radius",
    words="edge wear convex concave cavity",
)  # fmt: skip
