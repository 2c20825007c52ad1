"""Gradient along an axis of the model."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from evenpalette.core.regions.operation_kind import Around, OperationKind, Plane
from evenpalette.core.values import Input, ValueType


def run(_: Plane, values: Mapping[str, Any], around: Around) -> Plane:
    """0 at `start` and 1 at `end`, shares of the model's extent along the axis."""
    texels = around.mesh_texels("A gradient along an axis")
    axis = "XYZ".index(values["axis"])
    low, high = (float(corner[axis]) for corner in texels.mesh.bounds)
    place = (texels.mesh.positions[texels.mesh.faces][..., axis] - low) / max(high - low, 1e-12)
    start, end = float(values["start"]), float(values["end"])
    span = end - start if abs(end - start) > 1e-3 else 1e-3
    return np.clip((texels.at_corners(place) - start) / span, 0, 1).astype(np.float32)


OPERATION = OperationKind(
    "axis", "Gradient along an axis", "From one end of the model to the other",
    (
        Input("axis", "Axis", ValueType.CHOICE, "Y", choices=("X", "Y", "Z")),
        Input("start", "From", ValueType.NUMBER, 0.0, description="Where it is 0, as a share of the model's extent"),
        Input("end", "To", ValueType.NUMBER, 1.0, description="Where it is 1; less than From turns it around"),
    ),
    run, makes=True, order=90,
)  # fmt: skip
