"""Which axis of a mesh file points up, and the mesh set upright: Y up, as everything else here has it.

glTF says Y. OBJ and PLY say nothing: what stands on the ground of one axis and about the middle of the other two most
likely has that one upright (common practice, no source).
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import MeshFileError
from evenpalette.core.mesh.mesh import Mesh

#: Axes that may be upright, as they are written.
AXES = ("y", "z", "x")
_SAYS_SO = (".glb", ".gltf")
#: Parts of the size within which something stands on the ground, and about the middle.
_GROUND, _MIDDLE = 0.02, 0.1
_TURNS = {
    "y": np.eye(3), "z": np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]]), "x": np.array([[0, -1, 0], [1, 0, 0], [0, 0, 1]]),
}  # fmt: skip


def guess_up(mesh: Mesh) -> str:
    """'y' or 'z': the axis that most likely points up in the file; 'y' where nothing speaks against it."""
    if mesh.source_ending in _SAYS_SO or not mesh.face_count:
        return "y"
    low, high = (corner.astype(np.float64) for corner in mesh.bounds)
    size = high - low
    if not (size > 1e-9 * max(size.max(), 1e-30)).all():
        return "y"
    ground, middle = np.abs(low) <= _GROUND * size, np.abs(low + high) <= _MIDDLE * size
    return "z" if ground[2] and not ground[1] and middle[0] and middle[1] else "y"


def upright(mesh: Mesh, up: str) -> Mesh:
    """The mesh of a file with its axis `up` turned to Y. Raises MeshFileError for what is no axis."""
    if up not in AXES:
        raise MeshFileError(f"'{up[:20]}' is no axis; there are {', '.join(AXES)}.")
    if up == "y":
        return mesh
    turn = _TURNS[up].astype(np.float32)
    return replace(mesh, positions=_turned(mesh.positions, turn), normals=_turned(mesh.normals, turn), up=up)


def _turned(vectors: NDArray[np.float32], turn: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.ascontiguousarray(vectors @ turn.T, np.float32)
