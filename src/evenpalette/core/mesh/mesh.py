"""Mesh: triangles with corner attributes and the groups they came in."""

import hashlib
from dataclasses import field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import MeshFileError
from evenpalette.core.limits import RAISE, limits
from evenpalette.core.vectors import unit

#: Beyond these, areas and texels can no longer be told in the numbers that they are computed in.
LARGEST_COORDINATE = 1e9
MOST_TILES = 1e4


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles over shared positions. Treated as immutable.

    positions: float32 (V, 3), right-handed, Y up, units of the file.
    faces: int32 (F, 3), indices into positions; shared positions are what connects faces.
    uvs: float32 (F, 3, 2) for each corner, or None. u runs right, **v runs down** from the first texture row.
    normals: float32 (F, 3, 3) unit vectors for each corner.
    colors: float32 (F, 3, 4) for each corner, stored values 0..1, or None.
    groups: int32 (F,), index into group_names (material or group of the file).
    tile: which UV tile of the file is laid out as the first, '' as in the file; all_tiles: (name, faces) of each.
    uv_sets: how many UV sets the file has. up: the axis of the file that was turned to Y.
    """

    positions: NDArray[np.float32]
    faces: NDArray[np.int32]
    uvs: NDArray[np.float32] | None
    normals: NDArray[np.float32]
    colors: NDArray[np.float32] | None
    groups: NDArray[np.int32]
    group_names: tuple[str, ...]
    name: str = "mesh"
    source_bytes: bytes = field(default=b"", repr=False)
    source_ending: str = ""
    tile: str = ""
    all_tiles: tuple[tuple[str, int], ...] = ()
    uv_sets: int = 1
    up: str = "y"

    @cached_property
    def source_digest(self) -> bytes:
        """A hash of the file's content."""
        return hashlib.blake2b(self.source_bytes, digest_size=16).digest()

    @property
    def face_count(self) -> int:
        return len(self.faces)

    def group_named(self, name: str) -> int:
        """Where a material group is among the names, in whatever case. Raises MeshFileError for one that is not
        there."""
        names = [known.casefold() for known in self.group_names]
        if name.casefold() not in names:
            raise MeshFileError(
                f"{self.name} has no material group '{name}'. It has: {', '.join(self.group_names[:12])}."
            )
        return names.index(name.casefold())

    @cached_property
    def bounds(self) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Smallest and largest corner of the box around the mesh, each (3,)."""
        used = self.positions[self.faces.reshape(-1)]
        return used.min(0), used.max(0)

    def face_normals(self) -> NDArray[np.float32]:
        """Geometric unit normals, (F, 3); zero for faces without area."""
        a, b, c = (self.positions[self.faces[:, i]].astype(np.float64) for i in range(3))
        return unit(np.cross(b - a, c - a)).astype(np.float32)

    def uv_areas(self) -> NDArray[np.float64]:
        """Signed area of each face in UV space by the shoelace formula, (F,); 1.0 is the whole tile."""
        if self.uvs is None:
            return np.zeros(self.face_count)
        a, b, c = (self.uvs[:, i].astype(np.float64) for i in range(3))
        u, v = b - a, c - a
        return 0.5 * (u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0])


def build_mesh(
    name: str,
    positions: NDArray,
    faces: NDArray,
    *,
    uvs: NDArray | None = None,
    normals: NDArray | None = None,
    colors: NDArray | None = None,
    groups: NDArray | None = None,
    group_names: tuple[str, ...] = ("all",),
    weld: bool = False,
) -> Mesh:
    """Check the parts and make a Mesh. `weld` joins positions that are exactly equal.

    Missing normals are computed, smooth within 40 degrees. Raises MeshFileError for no faces, too many, NaN or
    infinite coordinates, and indices out of range; `name` is the file's name for those messages.
    """
    positions = np.asarray(positions, np.float32).reshape(-1, 3)
    faces = np.asarray(faces, np.int64).reshape(-1, 3)
    if not len(faces):
        raise MeshFileError(f"{name} has no faces.")
    if len(faces) > limits().mesh_faces:
        raise too_many_faces(name, len(faces))
    if faces.min() < 0 or faces.max() >= len(positions):
        bad = int(((faces < 0) | (faces >= len(positions))).any(1).sum())
        raise MeshFileError(f"{name}: {bad} faces name vertices that do not exist. Export the mesh again.")
    if not np.isfinite(positions[faces.reshape(-1)]).all():
        raise MeshFileError(f"{name} has vertices whose coordinates are not numbers. Export the mesh again.")
    if np.abs(positions[faces.reshape(-1)]).max() > LARGEST_COORDINATE:
        raise MeshFileError(f"{name} has vertices beyond {LARGEST_COORDINATE:g}. Scale it down and export it again.")
    if uvs is not None and not np.isfinite(uvs).all():
        raise MeshFileError(f"{name} has UVs that are not numbers. Unwrap or export the mesh again.")
    if uvs is not None and np.abs(uvs).max() > MOST_TILES:
        raise MeshFileError(f"{name} has UVs beyond {MOST_TILES:g} tiles. Unwrap or export the mesh again.")
    if weld:
        positions, faces = _welded(positions, faces)
    faces = np.ascontiguousarray(faces, np.int32)
    if normals is not None:
        normals = unit(np.nan_to_num(np.asarray(normals, np.float64)))
        if (np.abs(normals).sum(-1) == 0).any():
            normals = None
    if normals is None:
        normals = smooth_normals(positions, faces)
    return Mesh(
        positions=np.ascontiguousarray(positions),
        faces=faces,
        uvs=None if uvs is None else np.ascontiguousarray(uvs, np.float32),
        normals=np.ascontiguousarray(normals, np.float32),
        colors=None if colors is None else np.ascontiguousarray(np.clip(np.nan_to_num(colors), 0, 1), np.float32),
        groups=np.zeros(len(faces), np.int32) if groups is None else np.asarray(groups, np.int32),
        group_names=group_names,
        name=name,
    )


def too_many_faces(name: str, count: int) -> MeshFileError:
    """What is said of a mesh beyond the limit."""
    return MeshFileError(f"{name} has {count:,} triangles or more; the limit is {limits().mesh_faces:,}. {RAISE}")


def _welded(positions: NDArray[np.float32], faces: NDArray) -> tuple[NDArray[np.float32], NDArray]:
    """Positions that are exactly equal joined into the first of them, in the order of their first use in the file."""
    order = np.lexsort(positions.T)
    ranked = positions[order]
    starts = np.concatenate([[True], (ranked[1:] != ranked[:-1]).any(1)])
    group = np.empty(len(order), np.int64)
    group[order] = np.cumsum(starts) - 1
    # lexsort is stable, so the first of each run is the first in the file.
    first = order[starts]
    kept = np.argsort(first)
    rank = np.empty_like(kept)
    rank[kept] = np.arange(len(kept))
    return positions[first[kept]], rank[group[faces]]


def smooth_normals(positions: NDArray, faces: NDArray, crease_degrees: float = 40.0) -> NDArray[np.float32]:
    """Corner normals (F, 3, 3): the area-weighted mean around the vertex where the face agrees with it, else its
    own."""
    a, b, c = (positions[faces[:, i]].astype(np.float64) for i in range(3))
    weighted = np.cross(b - a, c - a)
    at = faces.T.reshape(-1)
    sums = np.empty((len(positions), 3))
    for axis in range(3):
        sums[:, axis] = np.bincount(at, np.tile(weighted[:, axis], 3), len(positions))
    own = unit(weighted)
    mean = unit(sums)[faces]
    agrees = (mean * own[:, None]).sum(-1) >= np.cos(np.radians(crease_degrees))
    result = np.where(agrees[..., None], mean, own[:, None])
    result[~result.any(-1)] = (0, 1, 0)
    return result.astype(np.float32)


def triangulate(corner_count: int) -> list[tuple[int, int, int]]:
    """A fan over the corners of a polygon."""
    return [(0, i, i + 1) for i in range(1, corner_count - 1)]
