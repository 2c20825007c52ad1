"""Ambient occlusion of a mesh at the texels of its UV layout, by cosine-weighted rays through embree."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import Topology

#: Rays start so far off the surface, as a share of the model's size.
_LIFT = 1e-4


def openness_map(
    mesh: Mesh, topology: Topology, shape: tuple[int, int], *, rays: int, reach: float, falloff: float = 0.0
) -> NDArray[np.float32]:
    """`openness` at every texel of a map, float32 (height, width); texels on no face take the nearest value."""
    texels = Texels(mesh, topology, shape)
    covered = texels.faces >= 0
    position = texels.at_corners(mesh.positions[mesh.faces])[covered]
    normal = texels.at_corners(mesh.normals)[covered]
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    plane = np.zeros(shape, np.float32)
    plane[covered] = openness(mesh, position, normal, rays=rays, reach=reach, falloff=falloff)
    return texels.fill_gutter(plane)


def openness(
    mesh: Mesh, positions: NDArray, normals: NDArray, *, rays: int, reach: float, falloff: float = 0.0, seed: int = 7
) -> NDArray[np.float32]:
    """The part of the cosine-weighted half space over each point that is open, float32 (n,) of 0..1.

    positions, normals: (n, 3), normals of unit length. rays: for each point, in directions by chance, fixed by the
    seed. reach: units of the mesh; what is farther away hides nothing. falloff: above 0, what is near hides more:
    1 - (distance / reach)^falloff of it. Without, 1 on an open plane; a point at a distance d from
    a wall of height h and no end sees 1 - (1 - d / sqrt(d^2 + h^2)) / 2 (form factor of a strip, from memory).
    """
    from embreex import rtcore_scene
    from embreex.mesh_construction import TriangleMesh

    scene = rtcore_scene.EmbreeScene()
    _geometry = TriangleMesh(scene, mesh.positions[mesh.faces].astype(np.float32))
    low, high = mesh.bounds
    normals = np.asarray(normals, np.float64)
    starts = (positions + normals * _LIFT * float(np.linalg.norm(high - low))).astype(np.float32)
    side = np.cross(normals, np.where(np.abs(normals[:, 1:2]) < 0.9, [[0.0, 1, 0]], [[1.0, 0, 0]]))
    side /= np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-12)
    other = np.cross(normals, side)
    chance = np.random.default_rng(seed)
    hidden = np.zeros(len(starts))
    for _ in range(rays):
        u, angle = chance.random(len(starts)), 2 * np.pi * chance.random(len(starts))
        r = np.sqrt(u)
        ways = (
            side * (r * np.cos(angle))[:, None]
            + other * (r * np.sin(angle))[:, None]
            + normals * np.sqrt(1 - u)[:, None]
        )
        hit = scene.run(starts, ways.astype(np.float32), output=True)
        met = (hit["primID"] >= 0) & (hit["tfar"] < reach)
        hidden += np.where(met, 1 - np.clip(hit["tfar"] / reach, 0, 1) ** falloff, 0) if falloff > 0 else met
    return (1 - hidden / max(rays, 1)).astype(np.float32)
