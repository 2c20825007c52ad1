"""Openness at the corners of faces, for vertex colors."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.baking.bake import casters_of
from evenpalette.core.baking.openness import openness
from evenpalette.core.baking.points import Points
from evenpalette.core.baking.tracing import Traced
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.write_colors import write_corner_colors
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.raster import quantize

#: The kind that is written at corners.
ON_VERTICES = "occlusion"
#: How far from its corner a place lies, as a share of the way to the middle of the face.
_INWARD = 0.05


def corner_points(mesh: Mesh) -> Points:
    """A place just inside of each corner of each face, face by face: (3 F,), as a map of one row."""
    count = mesh.face_count * 3
    near = 1 - 2 * _INWARD / 3
    shares = np.full((mesh.face_count, 3, 2), _INWARD / 3, np.float32)
    shares[:, 1, 0] = shares[:, 2, 1] = near
    return Points(
        mesh, (1, count), np.arange(count, dtype=np.int32), np.repeat(np.arange(mesh.face_count, dtype=np.int32), 3),
        shares.reshape(-1, 2), np.ones(count, bool),
    )  # fmt: skip


def openness_of_vertices(
    mesh: Mesh, values: Mapping[str, Any], progress: Progress = no_progress, groups: Sequence[str] = ()
) -> NDArray[np.float32]:
    """How open each corner lies, float32 (F, 3) of 0..1; corners of one position and normal have one value. values: of
    the settings of occlusion."""
    low, high = mesh.bounds
    reach = float(values["reach"]) * float(np.linalg.norm(high - low))
    points = corner_points(mesh)
    traced = Traced(mesh, casters_of(mesh, values, None, groups))
    *_, found = openness(points, traced, rays=int(values["rays"]), reach=reach, progress=progress)
    rows = np.concatenate([mesh.positions[mesh.faces], np.round(mesh.normals, 3) + 0.0], 2).reshape(-1, 6)
    _, shared = np.unique(rows.astype(np.float32), axis=0, return_inverse=True)
    shared = shared.reshape(-1)
    means = np.bincount(shared, found.values[:, 0]) / np.maximum(np.bincount(shared), 1)
    return np.asarray(means[shared].reshape(-1, 3), np.float32)


def write_openness(
    mesh: Mesh, values: Mapping[str, Any], path: Path, progress: Progress = no_progress, groups: Sequence[str] = ()
) -> None:
    """Write a mesh, PLY or GLB, with how open its corners lie as gray vertex colors. Raises MeshFileError."""
    gray = quantize(openness_of_vertices(mesh, values, progress, groups), np.dtype(np.uint8))
    write_corner_colors(mesh, np.repeat(gray[..., None], 3, 2), path)
