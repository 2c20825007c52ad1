"""Rays against a mesh, through embree."""

from dataclasses import dataclass

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numpy.typing import NDArray

from evenpalette.core.mesh.mesh import Mesh


@dataclass(frozen=True)
class Hit:
    """Where a ray met the mesh: the face, the weights of its corners (3,), and the distance."""

    face: int
    weights: NDArray[np.float64]
    distance: float


class RayCaster:
    """Answers single rays against one mesh. Building takes some milliseconds per 100,000 triangles."""

    def __init__(self, mesh: Mesh) -> None:
        self._scene = rtcore_scene.EmbreeScene()
        self._geometry = TriangleMesh(self._scene, mesh.positions[mesh.faces].astype(np.float32))

    def first_hit(self, origin: NDArray, direction: NDArray) -> Hit | None:
        """The nearest face along the ray, or None."""
        origins = np.asarray(origin, np.float32).reshape(1, 3)
        directions = np.asarray(direction, np.float32).reshape(1, 3)
        found = self._scene.run(origins, directions, output=True)
        face = int(found["primID"][0])
        if face < 0:
            return None
        u, v = float(found["u"][0]), float(found["v"][0])
        return Hit(face, np.array([1 - u - v, u, v]), float(found["tfar"][0]))
