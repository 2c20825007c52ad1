"""Slope: by the angle between the surface and an axis of the model, for snow, dust and sun bleach."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from evenpalette.core.regions.operation_kind import Around, OperationKind, Plane
from evenpalette.core.values import Input, ValueType

_WAYS = {"+Y": (0, 1, 0), "-Y": (0, -1, 0), "+X": (1, 0, 0), "-X": (-1, 0, 0), "+Z": (0, 0, 1), "-Z": (0, 0, -1)}


def run(_: Plane, values: Mapping[str, Any], around: Around) -> Plane:
    """1 where the angle between normal and axis is at most `full`, 0 from `none` on, linear between."""
    texels = around.mesh_texels("A slope")
    normal = texels.at_corners(texels.mesh.normals)
    length = np.maximum(np.linalg.norm(normal, axis=-1), 1e-12)
    angle = np.degrees(np.arccos(np.clip(normal @ np.array(_WAYS[values["faces"]], np.float32) / length, -1, 1)))
    full, none = float(values["full"]), float(values["none"])
    return np.clip((none - angle) / max(none - full, 1e-3), 0, 1).astype(np.float32)


OPERATION = OperationKind(
    "slope", "Slope", "Where the surface faces an axis of the model",
    (
        Input("faces", "Faces", ValueType.CHOICE, "+Y", choices=tuple(_WAYS)),
        Input("full", "Full up to", ValueType.NUMBER, 20.0, 0.0, 180.0, "°"),
        Input("none", "None from", ValueType.NUMBER, 60.0, 0.0, 180.0, "°"),
    ),
    run, makes=True, order=110,
)  # fmt: skip
