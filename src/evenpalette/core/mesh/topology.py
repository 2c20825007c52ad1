"""What is connected to what: shells on the model, islands in the UV layout, neighbors across edges."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.tiles import is_aside


@dataclass(frozen=True, eq=False)
class Topology:
    """Connections of a mesh.

    shells: int32 (F,), number of the connected piece of mesh (sharing positions), from 0 in file order.
    islands: int32 (F,), number of the connected piece of the UV layout, from 0; equal to shells without UVs.
    neighbors: int32 (E, 2), pairs of faces that share an edge.
    across_seam: bool (E,), whether the two faces of that pair lie apart in the UV layout along that edge.
    """

    shells: NDArray[np.int32]
    islands: NDArray[np.int32]
    neighbors: NDArray[np.int32]
    across_seam: NDArray[np.bool_]

    @property
    def shell_count(self) -> int:
        return int(self.shells.max()) + 1

    @property
    def island_count(self) -> int:
        return int(self.islands.max()) + 1


def find_topology(mesh: Mesh) -> Topology:
    """Shells, islands and neighbors of a mesh. UV corners closer than 1e-5 of the tile count as one."""
    neighbors, edge_corners = _shared_edges(mesh.faces)
    shells = _label_by_points(mesh.faces)
    if mesh.uvs is None:
        return Topology(shells, shells, neighbors, np.zeros(len(neighbors), bool))
    corner_ids = _uv_corner_ids(mesh.faces, mesh.uvs)
    first, second = edge_corners
    same = (corner_ids[first[:, 0], first[:, 1]] == corner_ids[second[:, 0], second[:, 1]]) & (
        corner_ids[first[:, 0], first[:, 2]] == corner_ids[second[:, 0], second[:, 2]]
    )
    return Topology(shells, _label_by_points(corner_ids), neighbors, ~same)


def _uv_corner_ids(faces: NDArray[np.int32], uvs: NDArray[np.float32]) -> NDArray[np.int64]:
    """A number for each corner (F, 3) that is shared by corners at the same position and the same UV."""
    grid = np.round(uvs.astype(np.float64) * 1e5).astype(np.int64)
    # Numbers instead of rows: sorting rows takes several times as long.
    places, ids = np.unique((grid[..., 0] << 32) + grid[..., 1], return_inverse=True)
    _, ids = np.unique(faces.reshape(-1) * np.int64(len(places)) + ids.reshape(-1), return_inverse=True)
    return ids.reshape(-1, 3)


def _label_by_points(faces: NDArray) -> NDArray[np.int32]:
    count, points = len(faces), int(faces.max()) + 1
    rows = np.repeat(np.arange(count), 3)
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    links = coo_matrix((np.ones(count * 3, np.int8), (rows, faces.reshape(-1) + count)), (count + points,) * 2)
    _, labels = connected_components(links, directed=False)
    _, first, inverse = np.unique(labels[:count], return_index=True, return_inverse=True)
    rank = np.empty(len(first), np.int32)
    rank[np.argsort(first)] = np.arange(len(first))
    return rank[inverse.reshape(-1)]


def _shared_edges(faces: NDArray) -> tuple[NDArray[np.int32], tuple[NDArray, NDArray]]:
    """Pairs of faces over each shared edge, and for both the (face, corner a, corner b) with a, b in the same order."""
    count = len(faces)
    face = np.repeat(np.arange(count), 3)
    corner_a = np.tile([0, 1, 2], count)
    corner_b = np.tile([1, 2, 0], count)
    a, b = faces[face, corner_a], faces[face, corner_b]
    swap = a > b
    corner_a, corner_b = np.where(swap, corner_b, corner_a), np.where(swap, corner_a, corner_b)
    low, high = np.minimum(a, b), np.maximum(a, b)
    order = np.lexsort((face, high, low))
    low, high = low[order], high[order]
    same = (low[1:] == low[:-1]) & (high[1:] == high[:-1])
    left, right = order[:-1][same], order[1:][same]
    rows = np.stack([face, corner_a, corner_b], -1)
    pairs = np.stack([face[left], face[right]], -1).astype(np.int32).reshape(-1, 2)
    return pairs, (rows[left], rows[right])


def uv_edges(mesh: Mesh) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """The lines of the UV layout: ends (E, 2, 2), and whether the line borders its island (E,). Faces that were put
    aside have none: of many parts of a mesh each has its own."""
    assert mesh.uvs is not None
    laid = ~is_aside(mesh)
    uvs = mesh.uvs[laid]
    if not len(uvs):
        return np.zeros((0, 2, 2), np.float32), np.zeros(0, bool)
    ids = _uv_corner_ids(mesh.faces[laid], uvs)
    first, second = ids[:, [0, 1, 2]].reshape(-1), ids[:, [1, 2, 0]].reshape(-1)
    keys = np.minimum(first, second) * np.int64(int(ids.max()) + 1) + np.maximum(first, second)
    _, index, counts = np.unique(keys, return_index=True, return_counts=True)
    face, corner = index // 3, index % 3
    ends = np.stack([uvs[face, corner], uvs[face, (corner + 1) % 3]], 1)
    return np.ascontiguousarray(ends, np.float32), counts == 1
