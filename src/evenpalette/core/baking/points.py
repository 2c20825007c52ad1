"""The places on a surface that texels stand for: where rays start."""

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import njit
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.triangle_rule import edge, in_texels
from evenpalette.core.vectors import unit

#: Texels whose center lies on no face take the nearest place of a face within so many texels: all that a bilinear
#: filter reads along a seam.
_REACH = 1.5
#: No place lies nearer to an edge of its face than so many texels: a ray that starts on an edge may slip past the wall
#: that stands there.
_INSIDE = 0.1


@njit(nogil=True, cache=True)
def _nearest_on(px, py, ax, ay, bx, by):  # type: ignore[no-untyped-def]
    """The share of b of the place on an edge that is nearest to a point, and the square of the distance."""
    dx, dy = bx - ax, by - ay
    t = ((px - ax) * dx + (py - ay) * dy) / max(dx * dx + dy * dy, 1e-30)
    t = min(max(t, 0.0), 1.0)
    x, y = ax + t * dx - px, ay + t * dy - py
    return t, x * x + y * y


@njit(nogil=True, cache=True)
def _beside(uvs, reach, faces, distance, shares):  # type: ignore[no-untyped-def]
    """Give texels on no face the nearest place of one within reach. distance: squared, infinite to begin with."""
    height, width = faces.shape
    for face in range(uvs.shape[0]):
        x0, y0, x1, y1, x2, y2, area = in_texels(uvs, face, width, height)
        if area == 0.0:
            continue
        left = max(0, int(np.floor(min(x0, x1, x2) - reach)))
        right = min(width - 1, int(np.ceil(max(x0, x1, x2) + reach)))
        top = max(0, int(np.floor(min(y0, y1, y2) - reach)))
        bottom = min(height - 1, int(np.ceil(max(y0, y1, y2) + reach)))
        for row in range(top, bottom + 1):
            y = row + 0.5
            for column in range(left, right + 1):
                if distance[row, column] == 0.0:
                    continue
                x = column + 0.5
                e0, e1, e2 = edge(x0, y0, x1, y1, x, y), edge(x1, y1, x2, y2, x, y), edge(x2, y2, x0, y0, x, y)
                if e0 > 0 and e1 > 0 and e2 > 0:
                    continue
                t, best = _nearest_on(x, y, x0, y0, x1, y1)
                second, third = t, 0.0
                t, d = _nearest_on(x, y, x1, y1, x2, y2)
                if d < best:
                    best, second, third = d, 1.0 - t, t
                t, d = _nearest_on(x, y, x2, y2, x0, y0)
                if d < best:
                    best, second, third = d, 0.0, 1.0 - t
                if best < distance[row, column] and best <= reach * reach:
                    distance[row, column] = best
                    faces[row, column] = face
                    # A face that is mirrored has its last two corners changed here.
                    shares[row, column, 0] = third if area < 0 else second
                    shares[row, column, 1] = second if area < 0 else third


@njit(nogil=True, cache=True)
def _at_centers(uvs, faces, inside, shares):  # type: ignore[no-untyped-def]
    """The shares of the second and third corner at the centers of texels that lie on a face; then all of them moved
    inside."""
    height, width = faces.shape
    for row in range(height):
        v = (row + 0.5) / height
        for column in range(width):
            face = faces[row, column]
            if face < 0:
                continue
            ax, ay = uvs[face, 0, 0], uvs[face, 0, 1]
            bx, by = uvs[face, 1, 0] - ax, uvs[face, 1, 1] - ay
            cx, cy = uvs[face, 2, 0] - ax, uvs[face, 2, 1] - ay
            area = bx * cy - cx * by
            if shares[row, column, 0] < 0:
                u = (column + 0.5) / width
                shares[row, column, 0] = ((u - ax) * cy - cx * (v - ay)) / area
                shares[row, column, 1] = (bx * (v - ay) - (u - ax) * by) / area
            # Twice the area over the length of the edge across from a corner is the corner's height, in texels.
            twice = abs(area) * width * height
            longest = max(
                np.hypot((cx - bx) * width, (cy - by) * height), np.hypot(cx * width, cy * height),
                np.hypot(bx * width, by * height),
            )  # fmt: skip
            least = min(inside * longest / max(twice, 1e-12), 0.25)
            b, c = max(shares[row, column, 0], least), max(shares[row, column, 1], least)
            a = max(1.0 - shares[row, column, 0] - shares[row, column, 1], least)
            shares[row, column, 0], shares[row, column, 1] = b / (a + b + c), c / (a + b + c)


@dataclass(frozen=True, eq=False)
class Points:
    """Places on a mesh, one for each texel that is on a face or beside one, row by row.

    shape: (height, width) of the map. at: int32 (n,), flat index of the texel. faces: int32 (n,). shares: float32
    (n, 2), of the face's second and third corner. on_face: bool (n,), whether the texel's center lies on the face.
    """

    mesh: Mesh
    shape: tuple[int, int]
    at: NDArray[np.int32]
    faces: NDArray[np.int32]
    shares: NDArray[np.float32]
    on_face: NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.at)

    @cached_property
    def corners(self) -> NDArray[np.float32]:
        """Where the corners of all faces lie, float32 (F, 3, 3)."""
        return np.ascontiguousarray(self.mesh.positions[self.mesh.faces], np.float32)

    @cached_property
    def units(self) -> NDArray[np.float32]:
        """The length of a texel on each face, in units of the mesh, float32 (F,)."""
        corners = self.corners.astype(np.float64)
        areas = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
        texels = np.abs(self.mesh.uv_areas()) * self.shape[0] * self.shape[1]
        return np.sqrt(areas / np.maximum(texels, 1e-12)).astype(np.float32)

    def carried(self, values: NDArray, part: slice = slice(None)) -> NDArray[np.float32]:
        """Values at the corners of faces (F, 3) or (F, 3, K), carried linearly to the places: float32 (n[, K])."""
        faces, shares = self.faces[part], self.shares[part]
        weights = np.stack([1 - shares[:, 0] - shares[:, 1], shares[:, 0], shares[:, 1]], 1)
        return np.asarray(np.einsum("nk,nk...->n...", weights, values[faces]), np.float32)

    def positions(self, part: slice = slice(None)) -> NDArray[np.float32]:
        """Where the places lie, float32 (n, 3)."""
        return self.carried(self.corners, part)

    def normals(self, part: slice = slice(None)) -> NDArray[np.float32]:
        """Unit normals there, float32 (n, 3)."""
        return unit(self.carried(self.mesh.normals, part))

    def laid(self, values: NDArray, gutter: NDArray[np.int32]) -> NDArray:
        """Values of the places, (n, ...), as a map (height, width, ...). gutter: for each texel the flat index of the
        one whose value it takes."""
        out = np.zeros((self.shape[0] * self.shape[1], *values.shape[1:]), values.dtype)
        out[self.at] = values
        return np.asarray(out[gutter.reshape(-1)].reshape(*self.shape, *values.shape[1:]))


def surface_points(texels: Texels) -> Points:
    """The places that the texels of a map stand for."""
    mesh = texels.mesh
    assert mesh.uvs is not None
    uvs = np.ascontiguousarray(mesh.uvs, np.float64)
    faces = texels.faces.copy()
    on_face = faces >= 0
    shares = np.full((*texels.shape, 2), -1, np.float32)
    distance = np.where(on_face, np.float32(0), np.float32(np.inf))
    _beside(uvs, _REACH, faces, distance, shares)
    del distance
    _at_centers(uvs, faces, _INSIDE, shares)
    at = np.flatnonzero(faces >= 0)
    return Points(
        mesh,
        texels.shape,
        at.astype(np.int32),
        faces.reshape(-1)[at],
        shares.reshape(-1, 2)[at],
        on_face.reshape(-1)[at],
    )
