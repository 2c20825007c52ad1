"""Directions in the tangent space of a mesh, as normal maps hold them."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.baking.points import Points
from evenpalette.core.mesh.tangents import tangents
from evenpalette.core.vectors import unit


def in_tangent_space(points: Points, ways: NDArray) -> NDArray[np.float32]:
    """Unit vectors (n, 3) as shares of tangent, bitangent and normal at the places, unit: float32 (n, 3), x to the
    right and y up in the texture.

    Tangent and normal are carried over a face without being made unit, as MikkTSpace wants it where a map is read.
    """
    frame = tangents(points.mesh)
    carried = points.carried(frame[..., :3])
    sign = frame[points.faces, 0, 3]
    normal = points.carried(points.mesh.normals)
    across = np.cross(normal, carried) * sign[:, None]
    # What a shader makes of a stored vector is x t + y b + z n, made unit: solved for the vector that gives `ways`.
    basis = np.stack([carried, across, normal], -1).astype(np.float64)
    lost = np.abs(np.linalg.det(basis)) < 1e-9
    basis[lost] = np.eye(3)
    made = np.linalg.solve(basis, np.asarray(ways, np.float64)[..., None])[..., 0]
    return unit(made).astype(np.float32)
