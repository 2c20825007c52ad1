"""Vertex colors written back into a mesh, as PLY or GLB, through trimesh."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import MeshFileError
from evenpalette.core.files import write_atomically
from evenpalette.core.mesh.mesh import Mesh

WRITABLE = (".ply", ".glb")


def write_vertex_colors(mesh: Mesh, face_colors: NDArray[np.uint8], path: Path | str) -> None:
    """Write the mesh with one color a face, uint8 (F, 3), as `write_corner_colors` does."""
    write_corner_colors(mesh, np.repeat(face_colors[:, None], 3, axis=1), path)


def write_corner_colors(mesh: Mesh, corner_colors: NDArray[np.uint8], path: Path | str) -> None:
    """Write the mesh with one color a corner, uint8 (F, 3, 3), as PLY or GLB by the ending of the path.

    Corners are not shared between faces, so that colors stay sharp at the borders of regions; UVs are kept in GLB and
    in PLY (as s, t). Raises MeshFileError.
    """
    # The program's start does not wait for a library that few sessions need.
    import trimesh

    path = Path(path)
    if path.suffix.lower() not in WRITABLE:
        raise MeshFileError(f"Vertex colors can be written as {' or '.join(WRITABLE)}, not as '{path.suffix}'.")
    vertices = mesh.positions[mesh.faces].reshape(-1, 3)
    colors = np.concatenate([corner_colors.reshape(-1, 3), np.full((len(vertices), 1), 255, np.uint8)], 1)
    faces = np.arange(len(vertices)).reshape(-1, 3)
    made = trimesh.Trimesh(vertices, faces, process=False, vertex_normals=mesh.normals.reshape(-1, 3))
    made.visual = trimesh.visual.ColorVisuals(made, vertex_colors=colors)
    if mesh.uvs is not None:
        uv = mesh.uvs.reshape(-1, 2).copy()
        uv[:, 1] = 1 - uv[:, 1]
        if path.suffix.lower() == ".ply":
            made.vertex_attributes["s"], made.vertex_attributes["t"] = uv[:, 0].copy(), uv[:, 1].copy()
        else:
            made.visual = trimesh.visual.TextureVisuals(uv=uv)
            made.visual.vertex_attributes["color"] = colors
    content = made.export(file_type=path.suffix.lower()[1:])
    assert isinstance(content, bytes)
    try:
        write_atomically(path, content)
    except OSError as error:
        raise MeshFileError(f"{path} cannot be written: {error.strerror or error}.") from error
