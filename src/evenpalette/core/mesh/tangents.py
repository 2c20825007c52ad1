"""Tangents of a mesh as MikkTSpace lays them: what a normal map is decoded by.

M. S. Mikkelsen, "Simulation of Wrinkled Surfaces Revisited", 2008, and the rules of his reference code, from memory:
each face gives its direction of growing u to its corners, laid flat on the corner's normal and made unit; corners of
one position, normal and uv whose faces wind the same way in UV space share the sum, weighed by the angle at the corner.
"""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.vectors import unit

F64 = NDArray[np.float64]


def tangents(mesh: Mesh) -> NDArray[np.float32]:
    """The tangent of each corner, float32 (F, 3, 4): a unit vector across the normal where u grows, and the sign by
    which `cross(normal, tangent)` points where a green-up normal map's green does, against v. Without UVs, and where a
    face has none in UV space, any unit vector across the normal, sign 1."""
    corners = mesh.positions[mesh.faces].astype(np.float64)
    normals = mesh.normals.astype(np.float64)
    uvs = mesh.uvs.astype(np.float64) if mesh.uvs is not None else np.zeros((mesh.face_count, 3, 2))
    edges, turns = corners[:, 1:] - corners[:, :1], uvs[:, 1:] - uvs[:, :1]
    area = turns[:, 0, 0] * turns[:, 1, 1] - turns[:, 0, 1] * turns[:, 1, 0]
    along = edges[:, 0] * turns[:, 1, 1:] - edges[:, 1] * turns[:, 0, 1:]
    # v runs down, so a face that winds as it does on the model has a negative area there.
    sign = np.where(area > 0, -1.0, 1.0)
    along *= np.where(area < 0, -1.0, 1.0)[:, None]
    flat = unit(along[:, None] - normals * (along[:, None] * normals).sum(-1, keepdims=True))
    flat[area == 0] = 0
    shared = _shared(mesh, uvs, sign)
    summed = np.zeros((int(shared.max()) + 1, 3))
    np.add.at(summed, shared.reshape(-1), (flat * _angles(corners, normals)[..., None]).reshape(-1, 3))
    made = unit(summed[shared])
    lost = np.linalg.norm(made, axis=-1) < 0.5
    made[lost] = _across(normals[lost])
    signs = np.broadcast_to(sign[:, None, None], (*made.shape[:2], 1))
    return np.concatenate([made, signs], -1).astype(np.float32)


def _shared(mesh: Mesh, uvs: F64, sign: F64) -> NDArray[np.int64]:
    """Which corners share a tangent: a number for each, (F, 3)."""
    places = mesh.positions[mesh.faces].astype(np.float32)
    keys = np.concatenate(
        [
            places, mesh.normals.astype(np.float32), uvs.astype(np.float32),
            np.broadcast_to(sign[:, None, None], (*places.shape[:2], 1)),
        ],
        -1,
    )  # fmt: skip
    # -0 and 0 are one.
    rows = np.ascontiguousarray(keys.reshape(-1, 9).astype(np.float32) + np.float32(0))
    _, numbers = np.unique(rows.view(np.dtype((np.void, rows.itemsize * 9))).reshape(-1), return_inverse=True)
    return np.asarray(numbers).reshape(-1, 3)


def _angles(corners: F64, normals: F64) -> F64:
    """The angle at each corner between the edges laid flat on its normal, (F, 3)."""
    one, two = np.roll(corners, -1, 1) - corners, np.roll(corners, 1, 1) - corners
    one, two = (unit(edge - normals * (edge * normals).sum(-1, keepdims=True)) for edge in (one, two))
    return np.asarray(np.arccos(np.clip((one * two).sum(-1), -1, 1)))


def _across(normals: F64) -> F64:
    """A unit vector across each normal (n, 3)."""
    helper = np.where(np.abs(normals[:, 1:2]) < 0.9, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    return unit(np.cross(helper, normals))
