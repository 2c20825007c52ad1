"""Distance: how far it is to a region."""

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from evenpalette.core.baking.kind import REACH, Around, BakeKind, known
from evenpalette.core.baking.openness import Estimate
from evenpalette.core.mesh.closest import closest_faces


def make(around: Around, values: Mapping[str, Any]) -> Iterator[Estimate]:
    """The straight way to the nearest face of the target as a share of the reach, 0 on it, 1 that far and farther;
    without a target to the nearest face of another material group."""
    places = around.points.positions()
    reach = (float(values["reach"]) or 1.0) * around.size
    if around.target is not None:
        return known(np.minimum(_to(around, around.target, places) / reach, 1))
    groups = around.mesh.groups
    found = np.ones(len(places), np.float32)
    own = groups[around.points.faces]
    for group in np.unique(own) if len(np.unique(groups)) > 1 else ():
        here = own == group
        found[here] = np.minimum(_to(around, groups != group, places[here]) / reach, 1)
    return known(found)


def _to(around: Around, faces: np.ndarray, places: np.ndarray) -> np.ndarray:
    if not faces.any():
        return np.full(len(places), np.inf, np.float32)
    return closest_faces(replace(around.mesh, faces=around.mesh.faces[faces]), places)[1].astype(np.float32)


BAKE = BakeKind(
    "distance", "Distance to a region", "Black at the region, white far from it",
    (REACH,), make, role="mask", bits=16, order=80, source="Euclidean distance to the nearest face",
    words="gradient rim near soot around",
)  # fmt: skip
