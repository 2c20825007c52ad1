"""Meshes whose layout is known."""

import numpy as np

from evenpalette.core.mesh.mesh import build_mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import find_topology


def can(size: int = 256, sides: int = 24) -> Texels:
    """An open cylinder around y, its UV layout cut along one side into a rectangle with a gutter around it."""
    angle = np.linspace(0, 2 * np.pi, sides + 1)
    rows = np.linspace(-1, 1, 9)
    positions = np.array([(np.cos(a), y, np.sin(a)) for y in rows for a in angle[:-1]])
    faces, uvs = [], []
    for row in range(len(rows) - 1):
        for side in range(sides):
            corners = [(row, side), (row, side + 1), (row + 1, side + 1), (row + 1, side)]
            place = [(0.1 + 0.8 * s / sides, 0.1 + 0.8 * r / 8) for r, s in corners]
            index = [r * sides + s % sides for r, s in corners]
            for pick in ((0, 1, 2), (0, 2, 3)):
                faces.append([index[i] for i in pick])
                uvs.append([place[i] for i in pick])
    mesh = build_mesh("can.obj", positions, np.array(faces), uvs=np.array(uvs, np.float32))
    return Texels(mesh, find_topology(mesh), (size, size))
