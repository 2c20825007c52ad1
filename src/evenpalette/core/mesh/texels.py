"""What lies under each texel of a mesh's UV layout at one size: face, island, and any value given at the corners."""

from collections.abc import Callable, Hashable
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit, prange
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.topology import Topology
from evenpalette.core.mesh.uv_raster import face_map
from evenpalette.core.raster.padding import nearest_covered

Window = tuple[slice, slice]


class Texels:
    """The texels of one mesh at one size. Each part is computed when it is first asked for."""

    def __init__(self, mesh: Mesh, topology: Topology, shape: tuple[int, int]) -> None:
        assert mesh.uvs is not None
        self.mesh, self.topology, self.shape = mesh, topology, shape
        self._kept: dict[Hashable, NDArray] = {}

    def keep(self, key: Hashable, make: Callable[[], NDArray]) -> NDArray:
        """What `make` gives for this key, made once; the last four are kept."""
        if key not in self._kept:
            self._kept[key] = make()
            for old in list(self._kept)[:-4]:
                self._kept.pop(old, None)
        return self._kept[key]

    @cached_property
    def faces(self) -> NDArray[np.int32]:
        """The face under each texel center, int32 (height, width), -1 for none."""
        assert self.mesh.uvs is not None
        return face_map(self.mesh.uvs, self.shape[1], self.shape[0])

    @cached_property
    def islands(self) -> NDArray[np.int32]:
        """The island under each texel center, int32 (height, width), -1 for none."""
        return _labels_at(self.faces, self.topology.islands)

    @cached_property
    def island_windows(self) -> list[tuple[int, Window]]:
        """Each island that covers a texel center, with the box around its texels."""
        boxes = np.full((self.topology.island_count, 4), -1, np.int64)
        _boxes(self.islands, boxes)
        return [
            (island, (slice(int(top), int(bottom) + 1), slice(int(left), int(right) + 1)))
            for island, (left, top, right, bottom) in enumerate(boxes)
            if top >= 0
        ]

    @cached_property
    def gutter_source(self) -> NDArray[np.int32]:
        """For each texel the flat index of the nearest one on a face, its own where it is on one, int32 (h, w)."""
        return nearest_covered(self.faces >= 0, sum(self.shape)).astype(np.int32)

    def at_corners(self, values: NDArray) -> NDArray[np.float32]:
        """Values at the corners of faces (F, 3) or (F, 3, K), carried linearly to texel centers: float32 (h, w[, K]).

        Texels on no face take the value of the nearest texel that is on one.
        """
        assert self.mesh.uvs is not None
        flat = np.ascontiguousarray(values.reshape(len(values), 3, -1), np.float32)
        out = np.zeros((*self.shape, flat.shape[2]), np.float32)
        _interpolate(np.ascontiguousarray(self.mesh.uvs, np.float64), flat, self.faces, out)
        out = np.take(out.reshape(-1, flat.shape[2]), self.gutter_source, axis=0)
        return out[..., 0] if values.ndim == 2 else out

    def fill_gutter(self, plane: NDArray) -> NDArray:
        """A plane (height, width) whose texels on no face are those of the nearest texel that is on one."""
        return np.asarray(np.take(plane, self.gutter_source))

    def faces_in(self, plane: NDArray) -> NDArray[np.bool_]:
        """The faces of which most lies where a coverage (height, width) of 0..1 is more than half, bool (F,)."""
        on = self.faces >= 0
        count = self.mesh.face_count
        sums, many = np.bincount(self.faces[on], plane[on], count), np.bincount(self.faces[on], minlength=count)
        return np.asarray(sums > 0.5 * np.maximum(many, 1))

    def shared_by_labels(self, labels: NDArray[np.int32]) -> NDArray[np.bool_]:
        """Texels whose center lies on faces of different labels, int32 (F,); bool (height, width)."""
        assert self.mesh.uvs is not None
        out = np.zeros(self.shape, bool)
        for label in np.unique(labels):
            alone = face_map(self.mesh.uvs[labels == label], self.shape[1], self.shape[0]) >= 0
            out |= alone & (self.faces >= 0) & (_labels_at(self.faces, labels) != label)
        return out


def _labels_at(faces: NDArray[np.int32], labels: NDArray[np.int32]) -> NDArray[np.int32]:
    return np.where(faces >= 0, np.take(labels, faces, mode="wrap"), -1).astype(np.int32)


@njit(nogil=True, cache=True)
def _boxes(labels, boxes):  # type: ignore[no-untyped-def]
    """Left, top, right, bottom (inclusive) of each label's texels; -1 stays where it has none."""
    for row in range(labels.shape[0]):
        for column in range(labels.shape[1]):
            label = labels[row, column]
            if label >= 0:
                if boxes[label, 1] < 0:
                    boxes[label, 0] = boxes[label, 2] = column
                    boxes[label, 1] = row
                boxes[label, 0] = min(boxes[label, 0], column)
                boxes[label, 2] = max(boxes[label, 2], column)
                boxes[label, 3] = row


@njit(nogil=True, cache=True, parallel=True)
def _interpolate(uvs, values, faces, out):  # type: ignore[no-untyped-def]
    height, width = faces.shape
    for row in prange(height):
        v = (row + 0.5) / height
        for column in range(width):
            face = faces[row, column]
            if face < 0:
                continue
            u = (column + 0.5) / width
            ax, ay = uvs[face, 0, 0], uvs[face, 0, 1]
            bx, by = uvs[face, 1, 0] - ax, uvs[face, 1, 1] - ay
            cx, cy = uvs[face, 2, 0] - ax, uvs[face, 2, 1] - ay
            area = bx * cy - cx * by
            wb = ((u - ax) * cy - cx * (v - ay)) / area
            wc = (bx * (v - ay) - (u - ax) * by) / area
            for k in range(values.shape[2]):
                out[row, column, k] = (
                    values[face, 0, k] * (1 - wb - wc) + values[face, 1, k] * wb + values[face, 2, k] * wc
                )
