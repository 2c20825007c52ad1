"""Loading the compiled kernels of painting before the first stroke."""

import numpy as np

from evenpalette.core.mesh.mesh import build_mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import find_topology
from evenpalette.core.regions.painting.brush import Brush
from evenpalette.core.regions.painting.stroke import Stroke
from evenpalette.core.regions.painting.surface import PaintSurface


def load_kernels() -> None:
    """One dab in the texture and one on a triangle, with a locked region beside."""
    uvs = np.array([[[0, 0], [1, 0], [0, 1]]], np.float32)
    corners = np.concatenate([uvs[0], np.zeros((3, 1), np.float32)], 1)
    mesh = build_mesh("warm", corners, np.array([[0, 1, 2]]), uvs=uvs)
    surface = PaintSurface(Texels(mesh, find_topology(mesh), (8, 8)))
    plane = np.zeros((8, 8), np.uint8)
    for made in (
        Stroke({"a": plane}, "a", Brush(radius=2)),
        Stroke({"a": plane}, "a", Brush(radius=2), surface, plane),
    ):
        made.dab_flat(4.0, 4.0)
    made.dab_ball(0, corners.mean(0).astype(np.float64))
