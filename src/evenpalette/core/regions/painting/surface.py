"""A mesh made ready to be painted on at one size."""

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.mesh.closest import closest_faces
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.uv_raster import barycentric


class PaintSurface:
    """What strokes need of a mesh: neighbors in a row, the gutter, mirrored faces. Prepare it off the window's
    thread."""

    def __init__(self, texels: Texels) -> None:
        mesh, topology = texels.mesh, texels.topology
        assert mesh.uvs is not None
        self.texels = texels
        self.positions = mesh.positions.astype(np.float64)
        self.faces = mesh.faces
        self.uvs = mesh.uvs.astype(np.float64)
        pairs = np.concatenate([topology.neighbors, topology.neighbors[:, ::-1]]).astype(np.int32)
        order = np.argsort(pairs[:, 0], kind="stable")
        self.neighbors = np.ascontiguousarray(pairs[order, 1])
        counts = np.bincount(pairs[:, 0], minlength=mesh.face_count)
        self.starts = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
        self.seen = np.zeros(mesh.face_count, np.int64)
        self.queue = np.empty(mesh.face_count + 1, np.int64)
        self.stamp = 0
        low, high = (corner.astype(np.float64) for corner in mesh.bounds)
        self.middle = (low + high) / 2
        corners = self.positions[self.faces]
        area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
        flat = float(np.abs(mesh.uv_areas()).sum()) * texels.shape[0] * texels.shape[1]
        #: Model units along one texel, in the mean over the surface.
        self.units_per_texel = float(np.sqrt(area.sum() / max(flat, 1e-12)))

    @cached_property
    def gutter_source(self) -> NDArray[np.int32]:
        return self.texels.gutter_source

    @cached_property
    def _mirrored(self) -> dict[str, NDArray[np.int64]]:
        return {}

    def mirrored_faces(self, axis: str) -> NDArray[np.int64]:
        """For each face the one nearest to its mirror image across the middle of the model, (F,)."""
        if axis not in self._mirrored:
            middles = self.mirrored(self.positions[self.faces].mean(1), axis)
            self._mirrored[axis] = closest_faces(self.texels.mesh, middles)[0]
        return self._mirrored[axis]

    def mirrored(self, points: NDArray, axis: str) -> NDArray[np.float64]:
        """Points (..., 3) across the middle of the model."""
        out = np.array(points, np.float64)
        index = "xyz".index(axis)
        out[..., index] = 2 * self.middle[index] - out[..., index]
        return out

    def points(self, faces: NDArray, uvs: NDArray) -> NDArray[np.float64]:
        """Positions (n, 3) of places (n, 2) in the texture on faces (n,)."""
        weights = barycentric(self.uvs[faces], uvs)
        return np.asarray((self.positions[self.faces[faces]] * weights[..., None]).sum(1))

    def place_on(self, face: int, point: NDArray) -> tuple[float, float]:
        """The (u, v) on a face that is about nearest to a point (3,)."""
        a, b, c = self.positions[self.faces[face]]
        sides = np.stack([b - a, c - a], -1)
        weights, *_ = np.linalg.lstsq(sides, point - a, rcond=None)
        shares = np.clip([1 - weights.sum(), *weights], 0, 1)
        u, v = (self.uvs[face] * (shares / shares.sum())[:, None]).sum(0)
        return float(u), float(v)

    def prepare(self, mirror: str = "") -> "PaintSurface":
        """Compute everything now."""
        _ = self.gutter_source
        if mirror:
            self.mirrored_faces(mirror)
        return self
