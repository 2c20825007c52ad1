"""Baking faces into UV space against drawing them once with OpenCV plus one exact distance transform."""

import cv2
import numpy as np
from scipy.ndimage import distance_transform_edt

from benchmarks.timing import ratio
from evenpalette.core.mesh.mesh import Mesh, build_mesh
from evenpalette.core.regions.dividing.bake import bake_faces

SIZE = 4096


def make_mesh() -> Mesh:
    """100,352 triangles: a grid of islands with gutters between them."""
    side, faces, uvs = 224, [], []
    cells = np.arange(side)
    for row in cells:
        gap = row // 28 * 0.004
        v0, v1 = (row / side) * 0.96 + gap, ((row + 1) / side) * 0.96 + gap
        for column in cells:
            shift = column // 28 * 0.004
            u0, u1 = (column / side) * 0.96 + shift, ((column + 1) / side) * 0.96 + shift
            uvs += [[(u0, v0), (u1, v0), (u1, v1)], [(u0, v0), (u1, v1), (u0, v1)]]
    uvs = np.array(uvs, np.float32)
    positions = np.concatenate([uvs.reshape(-1, 2), np.zeros((uvs.size // 2, 1))], 1)
    faces = np.arange(len(positions)).reshape(-1, 3)
    return build_mesh("grid", positions, faces, uvs=uvs)


def run() -> None:
    """Print the ratio."""
    mesh = make_mesh()
    assert mesh.uvs is not None
    labels = (np.arange(mesh.face_count) // 3136 % 8).astype(np.int32)
    corners = np.round(mesh.uvs * SIZE * 16).astype(np.int32)

    def reference() -> None:
        canvas = np.zeros((SIZE, SIZE), np.uint8)
        for triangle, label in zip(corners, labels, strict=True):
            cv2.fillConvexPoly(canvas, triangle, int(label) + 1, lineType=cv2.LINE_8, shift=4)
        distance_transform_edt(canvas == 0, return_indices=True)

    def ours() -> None:
        bake_faces(mesh, labels, 8, size=SIZE, samples=16, padding_texels=16)

    ratio(f"Bake of {mesh.face_count:,} triangles into 4096, 16 samples, 16 texels of padding", ours, reference, 3.0, 3)


if __name__ == "__main__":
    run()
