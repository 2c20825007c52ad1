"""Regions from another mesh of the same shape that stands in the same place."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.closest import closest_faces
from evenpalette.core.mesh.mesh import Mesh

#: Two meshes stand in the same place when their boxes agree to this part of the size.
SAME_PLACE = 0.05


@dataclass(frozen=True, eq=False)
class Transfer:
    """labels: int32 (F,), -1 where nothing was near. missed: how many faces that were. farthest: of the others.

    within: the farthest distance that counted, in units of the mesh.
    """

    labels: NDArray[np.int32]
    missed: int
    farthest: float
    within: float


def check_same_place(mesh: Mesh, other: Mesh) -> None:
    """Raise RegionError, with what differs, unless both meshes fill nearly the same box."""
    low, high = (corner.astype(np.float64) for corner in mesh.bounds)
    other_low, other_high = (corner.astype(np.float64) for corner in other.bounds)
    size, other_size = float(np.linalg.norm(high - low)), float(np.linalg.norm(other_high - other_low))
    if not 1 - SAME_PLACE <= other_size / max(size, 1e-12) <= 1 + SAME_PLACE:
        raise RegionError(
            f"{other.name} is {other_size / max(size, 1e-12):.2f} times as large as {mesh.name}. "
            "Export both at the same scale and bring it in again."
        )
    shift = (other_low + other_high - low - high) / 2
    if float(np.linalg.norm(shift)) > SAME_PLACE * size:
        moved = ", ".join(f"{v:+.3g}" for v in shift)
        raise RegionError(
            f"{other.name} stands elsewhere than {mesh.name} (moved by {moved}). Export both from the same origin."
        )


def transfer_labels(mesh: Mesh, other: Mesh, other_labels: NDArray[np.int32], within: float | None = None) -> Transfer:
    """For each face of `mesh` the label of the closest face of `other`, measured from the middle of the face.

    within: the farthest that counts, in units of the mesh; by default a hundredth of its size. Raises RegionError when
    the two do not stand in the same place.
    """
    check_same_place(mesh, other)
    low, high = mesh.bounds
    reach = 0.01 * float(np.linalg.norm(high - low)) if within is None else within
    found, distance = closest_faces(other, mesh.positions[mesh.faces].mean(1))
    near = distance <= reach
    labels = np.where(near, other_labels[found], -1).astype(np.int32)
    return Transfer(labels, int((~near).sum()), float(distance[near].max()) if near.any() else 0.0, reach)
