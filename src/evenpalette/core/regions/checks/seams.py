"""Where the two sides of a UV seam do not show the same: coverage lost at it, and islands that bleed into each
other."""

from collections.abc import Mapping

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import Topology
from evenpalette.core.raster.reading import bilinear

#: Coverages of the two sides further apart than this differ.
DIFFERENT = 0.35
_SAMPLES = (0.1, 0.3, 0.5, 0.7, 0.9)
#: A region that ends along nearly all of a seam between two islands is meant to end there.
_MEANT = 0.9
_GAP_STEPS = 64
_NOTICED = 0.01


@dataclass(frozen=True)
class Seam:
    """A region whose coverage differs on two sides of a seam: over this part of the seam, most at (u, v)."""

    region: str
    part: float
    place: tuple[float, float]


@dataclass(frozen=True)
class NearIslands:
    """Two regions on islands so many texels apart; from which mip level on filtering at a rim reads the other."""

    regions: tuple[int, int]
    gap_texels: float
    mip_level: int
    place: tuple[float, float]


class SeamSamples:
    """Places along every UV seam of a mesh, a texel inside the face on either side.

    left, right: (n, samples, 2) in the texture. points: (n, samples, 3) on the model. pairs: the two faces, (n, 2).
    labels: int32 (F,), the face region of each face; between different ones a difference is meant.
    """

    def __init__(self, mesh: Mesh, topology: Topology, size: int, labels: NDArray[np.int32] | None = None) -> None:
        assert mesh.uvs is not None
        pairs = topology.neighbors[topology.across_seam]
        same = mesh.faces[pairs[:, 0]][:, :, None] == mesh.faces[pairs[:, 1]][:, None, :]
        two = same.sum((1, 2)) == 2
        self.pairs, same = pairs[two], same[two]
        _, a, b = np.nonzero(same)
        corners = a.reshape(-1, 2), b.reshape(-1, 2)
        t = np.array(_SAMPLES)[None, :, None]
        rows = np.arange(len(self.pairs))
        ends = mesh.positions[mesh.faces[self.pairs[:, 0]]].astype(np.float64)
        first, second = ends[rows, corners[0][:, 0]], ends[rows, corners[0][:, 1]]
        self.points = first[:, None] * (1 - t) + second[:, None] * t
        self.left, self.right = (
            _inside(mesh.uvs[self.pairs[:, side]].astype(np.float64), corners[side], t, size) for side in (0, 1)
        )
        self._weight = np.linalg.norm(second - first, axis=1)[:, None] * np.ones(len(_SAMPLES))
        self._meant = np.zeros(len(self.pairs), bool)
        if labels is not None:
            self._meant = labels[self.pairs[:, 0]] != labels[self.pairs[:, 1]]
        islands = np.sort(topology.islands[self.pairs], axis=1)
        self._group = np.unique(islands, axis=0, return_inverse=True)[1].reshape(-1)
        self._within = islands[:, 0] == islands[:, 1]

    def lost(self, plane: NDArray[np.uint8]) -> tuple[NDArray[np.float64], NDArray[np.bool_], float]:
        """How far the two sides are apart (n, samples), where that is not meant, and over which part of all seams.

        A region that ends along nearly all of the seam between two islands is meant to end there.
        """
        apart = np.abs(_read(plane, self.left) - _read(plane, self.right))
        differs = (apart > DIFFERENT) & ~self._meant[:, None]
        totals = np.bincount(self._group, self._weight.sum(1))
        part = np.bincount(self._group, (self._weight * differs).sum(1)) / np.maximum(totals, 1e-12)
        bad = differs & ((part[self._group] < _MEANT) | self._within)[:, None]
        return apart, bad, float((self._weight * bad).sum() / max(float(self._weight.sum()), 1e-12))

    def fuller_faces(self, plane: NDArray[np.uint8]) -> NDArray[np.int64]:
        """The face on the side with the larger coverage, (n, samples)."""
        more = _read(plane, self.left) >= _read(plane, self.right)
        return np.where(more, self.pairs[:, :1], self.pairs[:, 1:]).astype(np.int64)


def _inside(uv: NDArray, corners: NDArray, t: NDArray, size: int) -> NDArray[np.float64]:
    rows = np.arange(len(uv))
    first, second, third = uv[rows, corners[:, 0]], uv[rows, corners[:, 1]], uv[rows, 3 - corners.sum(1)]
    place = first[:, None] * (1 - t) + second[:, None] * t
    # Straight inward, so that both sides are read at the same place along the seam.
    along = second - first
    share = ((third - first) * along).sum(-1, keepdims=True) / np.maximum((along * along).sum(-1, keepdims=True), 1e-20)
    inward = (third - first - share * along)[:, None]
    length = np.maximum(np.linalg.norm(inward, axis=-1, keepdims=True), 1e-12)
    return np.asarray(place + inward * np.minimum(1 / size / length, 0.3))


def lost_at_seams(
    mesh: Mesh, topology: Topology, planes: Mapping[str, NDArray[np.uint8]], labels: NDArray[np.int32] | None = None
) -> list[Seam]:
    """Regions whose coverage is not the same on both sides of a UV seam, the longest part first.

    planes: uint8 (h, w) by region id. labels: as in SeamSamples.
    """
    if not planes or mesh.uvs is None or not topology.across_seam.any():
        return []
    samples = SeamSamples(mesh, topology, max(next(iter(planes.values())).shape), labels)
    found = []
    for region, plane in planes.items():
        apart, bad, part = samples.lost(plane)
        if part > _NOTICED:
            row, column = np.unravel_index(int((apart * bad).argmax()), bad.shape)
            u, v = samples.left[row, column] % 1.0
            found.append(Seam(region, part, (float(u), float(v))))
    return sorted(found, key=lambda seam: -seam.part)


def _read(plane: NDArray[np.uint8], places: NDArray) -> NDArray:
    """Between texels, repeating, 0..1."""
    height, width = plane.shape
    return bilinear(plane, places[..., 0] % 1.0 * width, places[..., 1] % 1.0 * height) / 255


def _meeting(islands: NDArray[np.int32]) -> NDArray[np.int64]:
    """Where the texels nearest to two islands meet, the narrowest gap first: the texel of the one, of the other, the
    texel between them, all as flat indices, and the gap in 64ths of a texel, int64 (n, 4). It depends on the layout
    only.
    """
    covered = islands >= 0
    if covered.all() or not covered.any():
        return np.empty((0, 4), np.int64)
    distance, nearest = cv2.distanceTransformWithLabels(
        (~covered).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    source = np.zeros(int(nearest.max()) + 1, np.int64)
    source[nearest[covered]] = np.flatnonzero(covered)
    # np.take lets other threads run, indexing does not.
    place_of = np.take(source, np.asarray(nearest, np.int32))
    island = np.take(islands, place_of)
    found = []
    for dy, dx in ((0, 1), (1, 0)):
        a = np.s_[: islands.shape[0] - dy, : islands.shape[1] - dx]
        b = np.s_[dy:, dx:]
        y, x = np.nonzero(island[a] != island[b])
        gap = (distance[y, x] + distance[y + dy, x + dx]) * _GAP_STEPS
        found.append(
            np.stack([place_of[y, x], place_of[y + dy, x + dx], y * islands.shape[1] + x, gap.astype(np.int64)], 1)
        )
    every = np.concatenate(found)
    return np.asarray(every[np.argsort(every[:, 3], kind="stable")])


def near_islands(owner: NDArray[np.int16], texels: Texels, closer_than_texels: float) -> NearIslands | None:
    """The nearest islands of different regions, where they are closer than so many texels.

    owner: int16 (h, w), the region of each texel, -1 for none. Half of the gap is each one's padding at best; a
    bilinear sample on the rim reads up to one and a half texels outward (OpenGL specification, texture minification),
    and a texel of mip level L is 2^L wide, so levels with 1.5 * 2^L beyond half of the gap mix the two.
    """
    meeting = texels.keep("meeting", lambda: _meeting(texels.islands))
    one, other = np.take(owner, meeting[:, 0]), np.take(owner, meeting[:, 1])
    apart = np.flatnonzero((one != other) & (one >= 0) & (other >= 0))
    if not len(apart):
        return None
    nearest = int(apart[0])
    best = float(meeting[nearest, 3]) / _GAP_STEPS
    if best >= closer_than_texels:
        return None
    pair = int(one[nearest]), int(other[nearest])
    place = divmod(int(meeting[nearest, 2]), owner.shape[1])
    level = 0
    while 1.5 * 2**level <= best / 2:
        level += 1
    return NearIslands(pair, best, level, ((place[1] + 0.5) / owner.shape[1], (place[0] + 0.5) / owner.shape[0]))
