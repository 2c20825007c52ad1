"""Ambient occlusion of a mesh in UV space by cosine-weighted rays."""

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numpy.typing import NDArray

from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.uv_raster import barycentric, face_map
from evenpalette.core.raster.padding import nearest_covered


def surface_points(mesh: Mesh, size: int) -> tuple[NDArray, NDArray, NDArray]:
    """For each used texel of a size x size map: rows and columns (n, 2), position (n, 3), normal (n, 3)."""
    faces = face_map(mesh.uvs, size, size)
    rows, columns = np.nonzero(faces >= 0)
    face = faces[rows, columns]
    weights = barycentric(mesh.uvs[face], np.stack([columns + 0.5, rows + 0.5], -1) / size)[..., None]
    position = (mesh.positions[mesh.faces[face]] * weights).sum(1)
    normal = (mesh.normals[face] * weights).sum(1)
    return np.stack([rows, columns], -1), position, normal / np.linalg.norm(normal, axis=1, keepdims=True)


def bake_occlusion(mesh: Mesh, size: int, rays: int, reach: float, seed: int = 7) -> NDArray:
    """Openness, 0..1 (size, size); unused texels take the value of the nearest used one."""
    scene = rtcore_scene.EmbreeScene()
    TriangleMesh(scene, mesh.positions[mesh.faces].astype(np.float32))
    places, position, normal = surface_points(mesh, size)
    rng = np.random.default_rng(seed)
    side = np.cross(normal, np.where(np.abs(normal[:, 1:2]) < 0.9, [[0, 1, 0]], [[1, 0, 0]]))
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    other = np.cross(normal, side)
    open_count = np.zeros(len(position))
    for _ in range(rays):
        u, v = rng.random((2, len(position)))
        r, phi = np.sqrt(u), 2 * np.pi * v
        direction = (
            side * (r * np.cos(phi))[:, None] + other * (r * np.sin(phi))[:, None] + normal * np.sqrt(1 - u)[:, None]
        )
        hit = scene.run((position + normal * 1e-3).astype(np.float32), direction.astype(np.float32), output=True)
        near = (hit["primID"] >= 0) & (hit["tfar"] < reach)
        open_count += np.where(near, np.clip(hit["tfar"] / reach, 0, 1) ** 1.5, 1.0)
    result = np.zeros((size, size), np.float32)
    known = np.zeros((size, size), np.uint8)
    result[places[:, 0], places[:, 1]] = open_count / rays
    known[places[:, 0], places[:, 1]] = 1
    return fill_unused(result, known)


def fill_unused(image: NDArray, known: NDArray) -> NDArray:
    """Unused texels take the nearest used value."""
    return image.reshape(-1)[nearest_covered(known > 0, image.size)]
