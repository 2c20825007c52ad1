"""Images of what a mesh is at each texel: position, normal, island number, texel density."""

import numpy as np

from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.topology import Topology
from evenpalette.core.mesh.uv_raster import barycentric, face_map
from evenpalette.core.raster.padding import nearest_covered
from evenpalette.core.raster.raster import Encoding, Raster

IMAGES = ("position", "normal", "island", "density")


def surface_images(mesh: Mesh, topology: Topology, size: int, padding_texels: int = 16) -> dict[str, Raster]:
    """The maps of IMAGES, each (size, size), data.

    position: float32 RGB, 0..1 across the box around the mesh, the same scale on all axes. normal: uint16 RGB, object
    space, -1..1 stored as 0..1. island: uint16 gray, the island's number from 1, 0 for none. density: float32 gray,
    texels along a unit of length on the surface. Empty texels within the padding take the nearest value.
    """
    assert mesh.uvs is not None
    faces = face_map(mesh.uvs, size, size)
    rows, columns = np.nonzero(faces >= 0)
    face = faces[rows, columns]
    weights = barycentric(mesh.uvs[face], np.stack([columns + 0.5, rows + 0.5], -1) / size)[..., None]
    low, high = (corner.astype(np.float64) for corner in mesh.bounds)
    extent = max(float((high - low).max()), 1e-12)
    position = ((mesh.positions[mesh.faces[face]] * weights).sum(1) - low) / extent
    normal = (mesh.normals[face] * weights).sum(1)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    corners = mesh.positions[mesh.faces].astype(np.float64)
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    density = np.sqrt(np.abs(mesh.uv_areas()) / np.maximum(area, 1e-20)) * size
    values = {
        "position": position.astype(np.float32),
        "normal": np.rint((normal * 0.5 + 0.5) * 65535).astype(np.uint16),
        "island": (topology.islands[face, None] + 1).astype(np.uint16),
        "density": density[face, None].astype(np.float32),
    }
    covered = faces >= 0
    source = nearest_covered(covered, padding_texels)
    maps = {}
    for name, found in values.items():
        picture = np.zeros((size, size, found.shape[1]), found.dtype)
        picture[rows, columns] = found
        maps[name] = Raster(np.ascontiguousarray(picture.reshape(-1, found.shape[1])[source]), Encoding.DATA)
    return maps
