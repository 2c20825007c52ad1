"""Occlusion: how open the surface lies, for dirt in corners and sun on what stands out."""

from collections.abc import Mapping
from typing import Any

import cv2
import numpy as np

from evenpalette.core.mesh.occlusion import openness_map
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.regions.operation_kind import Around, OperationKind, Plane
from evenpalette.core.values import Input, ValueType

#: Rays are sent from so many texels a side at most; it is soft enough to be enlarged.
_MOST_TEXELS = 256


def _openness(texels: Texels, rays: int, reach: float) -> Plane:
    height, width = (min(side, _MOST_TEXELS) for side in texels.shape)
    low, high = texels.mesh.bounds
    farthest = reach * float(np.linalg.norm(high - low))
    small = openness_map(texels.mesh, texels.topology, (height, width), rays=rays, reach=farthest)
    return np.asarray(cv2.resize(small, texels.shape[::-1], interpolation=cv2.INTER_LINEAR), np.float32)


def run(_: Plane, values: Mapping[str, Any], around: Around) -> Plane:
    """1 where nothing is near, 0 where everything is hidden; kept until the mesh or a setting changes."""
    texels = around.mesh_texels("Occlusion")
    rays, reach = int(values["rays"]), float(values["reach"])
    return texels.keep(("occlusion", rays, reach), lambda: _openness(texels, rays, reach))


OPERATION = OperationKind(
    "occlusion", "Occlusion", "How open the surface lies; an Invert after it finds the corners",
    (
        Input("reach", "Reach", ValueType.NUMBER, 0.2, 0.01, 2.0, description="As a share of the model's size: how far things hide"),
        Input("rays", "Rays", ValueType.INTEGER, 48, 8, 256, description="More are smoother and slower"),
    ),
    run, makes=True, order=105, source="cosine-weighted visibility, common practice",
)  # fmt: skip
