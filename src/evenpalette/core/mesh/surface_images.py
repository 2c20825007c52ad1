"""Images of what a mesh is at each texel: position, normal, island number, texel density."""

import numpy as np

from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import Topology
from evenpalette.core.raster.padding import nearest_covered
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.vectors import unit

IMAGES = ("position", "normal", "island", "density")


def surface_images(mesh: Mesh, topology: Topology, size: int, padding_texels: int = 16) -> dict[str, Raster]:
    """The maps of IMAGES, each (size, size), data.

    position: float32 RGB, 0..1 across the box around the mesh, the same scale on all axes. normal: uint16 RGB, object
    space, -1..1 stored as 0..1. island: uint16 gray, the island's number from 1, 0 for none. density: float32 gray,
    texels along a unit of length on the surface. Empty texels within the padding take the nearest value.
    """
    texels = Texels(mesh, topology, (size, size))
    low, high = (corner.astype(np.float64) for corner in mesh.bounds)
    extent = max(float((high - low).max()), 1e-12)
    normal = unit(texels.at_corners(mesh.normals))
    corners = mesh.positions[mesh.faces].astype(np.float64)
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    density = np.sqrt(np.abs(mesh.uv_areas()) / np.maximum(area, 1e-20)) * size
    values = {
        "position": texels.at_corners((corners - low) / extent),
        "normal": np.rint((normal * 0.5 + 0.5) * 65535).astype(np.uint16),
        "island": (texels.fill_gutter(texels.islands) + 1).astype(np.uint16)[..., None],
        "density": texels.at_corners(np.repeat(density[:, None], 3, 1))[..., None],
    }
    covered = texels.faces >= 0
    reached = covered.reshape(-1)[nearest_covered(covered, padding_texels)][..., None]
    return {name: Raster(np.ascontiguousarray(found * reached), Encoding.DATA) for name, found in values.items()}
