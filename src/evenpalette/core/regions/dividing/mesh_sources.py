"""Regions from what a mesh brings along."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.select import SAME_COLOR, vertex_color_labels
from evenpalette.core.mesh.topology import Topology

MESH_SOURCES = ("material", "shell", "island", "vertex-color")


def mesh_labels(
    mesh: Mesh, topology: Topology, kind: str, tolerance: float = SAME_COLOR
) -> tuple[NDArray[np.int32], list[str]]:
    """A label for each face, int32 (F,), and a name for each label, by a kind of MESH_SOURCES. Raises RegionError."""
    if kind == "material":
        return mesh.groups, list(mesh.group_names)
    if kind == "shell":
        return topology.shells, [f"Shell {i + 1}" for i in range(topology.shell_count)]
    if kind == "island":
        return topology.islands, [f"Island {i + 1}" for i in range(topology.island_count)]
    if mesh.colors is None:
        raise RegionError(f"{mesh.name} has no vertex colors.")
    labels = vertex_color_labels(mesh, tolerance)
    return labels, [f"Color {i + 1}" for i in range(int(labels.max()) + 1)]


def near_shells(mesh: Mesh, topology: Topology) -> NDArray[np.int64]:
    """Pairs of shells that touch or nearly do: corners closer than a hundredth of the mesh's size; (n, 2)."""
    from scipy.spatial import cKDTree

    low, high = mesh.bounds
    reach = 0.01 * float(np.linalg.norm(high - low))
    corners = mesh.faces.reshape(-1)
    owner = np.full(len(mesh.positions), -1, np.int64)
    owner[corners] = np.repeat(topology.shells, 3)
    used = np.flatnonzero(owner >= 0)
    pairs = cKDTree(mesh.positions[used]).query_pairs(reach, output_type="ndarray")
    owners = np.sort(owner[used][pairs], axis=1)
    return np.unique(owners[owners[:, 0] != owners[:, 1]], axis=0)
