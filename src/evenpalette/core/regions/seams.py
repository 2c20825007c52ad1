"""Where the two sides of a UV seam do not show the same: coverage lost at it, and islands that bleed into each other."""

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import Topology

#: Coverages of the two sides further apart than this differ.
DIFFERENT = 0.35
_SAMPLES = (0.1, 0.3, 0.5, 0.7, 0.9)
#: A region that ends along nearly all of a seam between two islands is meant to end there.
_MEANT = 0.9
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


def _both_sides(mesh: Mesh, topology: Topology, size: int) -> tuple[NDArray, NDArray, NDArray]:
    """Places along every seam, a texel inside either face: (n, samples, 2) twice, and the pairs of faces (n, 2)."""
    assert mesh.uvs is not None
    pairs = topology.neighbors[topology.across_seam]
    same = mesh.faces[pairs[:, 0]][:, :, None] == mesh.faces[pairs[:, 1]][:, None, :]
    two = same.sum((1, 2)) == 2
    pairs, same = pairs[two], same[two]
    _, a, b = np.nonzero(same)
    corners_a, corners_b = a.reshape(-1, 2), b.reshape(-1, 2)
    t = np.array(_SAMPLES)[None, :, None]
    sides = []
    for face, corners in ((pairs[:, 0], corners_a), (pairs[:, 1], corners_b)):
        uv = mesh.uvs[face].astype(np.float64)
        rows = np.arange(len(uv))
        first, second, third = uv[rows, corners[:, 0]], uv[rows, corners[:, 1]], uv[rows, 3 - corners.sum(1)]
        place = first[:, None] * (1 - t) + second[:, None] * t
        inward = third[:, None] - place
        length = np.maximum(np.linalg.norm(inward, axis=-1, keepdims=True), 1e-12)
        sides.append(place + inward * np.minimum(1 / size / length, 0.3))
    return sides[0], sides[1], pairs


def lost_at_seams(
    mesh: Mesh, topology: Topology, planes: Mapping[str, NDArray[np.uint8]], labels: NDArray[np.int32] | None = None
) -> list[Seam]:
    """Regions whose coverage is not the same on both sides of a UV seam, the longest part first.

    planes: uint8 (h, w) by region id. labels: int32 (F,), the face region of each face; where the faces on both sides
    belong to different ones, or a region ends along a whole seam between two islands, the difference is meant.
    """
    if not planes or mesh.uvs is None or not topology.across_seam.any():
        return []
    shape = next(iter(planes.values())).shape
    left, right, pairs = _both_sides(mesh, topology, max(shape))
    if not len(pairs):
        return []
    ends = mesh.positions[mesh.faces[pairs[:, 0]]].astype(np.float64)
    weight = np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1)[:, None] * np.ones(len(_SAMPLES))
    same_label = np.ones(len(pairs), bool) if labels is None else labels[pairs[:, 0]] == labels[pairs[:, 1]]
    islands = np.sort(topology.islands[pairs], axis=1)
    group = np.unique(islands, axis=0, return_inverse=True)[1].reshape(-1)
    within = islands[:, 0] == islands[:, 1]
    totals = np.bincount(group, weight.sum(1))
    found = []
    for region, plane in planes.items():
        apart = np.abs(_read(plane, left) - _read(plane, right))
        differs = (apart > DIFFERENT) & same_label[:, None]
        part = np.bincount(group, (weight * differs).sum(1)) / np.maximum(totals, 1e-12)
        bad = differs & ((part[group] < _MEANT) | within)[:, None]
        share = float((weight * bad).sum() / max(weight.sum(), 1e-12))
        if share > _NOTICED:
            row, column = np.unravel_index(int((apart * bad).argmax()), bad.shape)
            u, v = left[row, column] % 1.0
            found.append(Seam(region, share, (float(u), float(v))))
    return sorted(found, key=lambda seam: -seam.part)


def _read(plane: NDArray[np.uint8], places: NDArray) -> NDArray[np.float64]:
    """Bilinear, repeating, 0..1."""
    height, width = plane.shape
    x, y = places[..., 0] % 1.0 * width - 0.5, places[..., 1] % 1.0 * height - 0.5
    left, top = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    fx, fy = x - left, y - top
    right, bottom = (left + 1) % width, (top + 1) % height
    above = plane[top, left] * (1 - fx) + plane[top, right] * fx
    below = plane[bottom, left] * (1 - fx) + plane[bottom, right] * fx
    return np.asarray((above + (below - above) * fy) / 255)


def near_islands(owner: NDArray[np.int16], texels: Texels, closer_than_texels: float) -> NearIslands | None:
    """The nearest islands of different regions, where they are closer than so many texels.

    owner: int16 (h, w), the region of each texel, -1 for none. Half of the gap is each one's padding at best; a
    bilinear sample on the rim reads up to one and a half texels outward (OpenGL specification, texture minification),
    and a texel of mip level L is 2^L wide, so levels with 1.5 * 2^L beyond half of the gap mix the two.
    """
    islands = texels.islands
    covered = islands >= 0
    if covered.all() or not covered.any():
        return None
    distance, nearest = cv2.distanceTransformWithLabels(
        (~covered).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    source = np.zeros(int(nearest.max()) + 1, np.int64)
    source[nearest[covered]] = np.flatnonzero(covered)
    # np.take lets other threads run, indexing does not.
    place_of = np.take(source, np.asarray(nearest, np.int32))
    island, region = np.take(islands, place_of), np.take(owner, place_of)
    best, place, pair = np.inf, (0, 0), (-1, -1)
    for dy, dx in ((0, 1), (1, 0)):
        a = np.s_[: owner.shape[0] - dy, : owner.shape[1] - dx]
        b = np.s_[dy:, dx:]
        meets = (island[a] != island[b]) & (region[a] != region[b]) & (region[a] >= 0) & (region[b] >= 0)
        gap = np.where(meets, distance[a] + distance[b], np.inf)
        least = int(gap.argmin())
        if gap.flat[least] < best:
            y, x = np.unravel_index(least, gap.shape)
            best, place = float(gap[y, x]), (int(y), int(x))
            pair = (int(region[y, x]), int(region[y + dy, x + dx]))
    if best >= closer_than_texels:
        return None
    level = 0
    while 1.5 * 2**level <= best / 2:
        level += 1
    return NearIslands(pair, best, level, ((place[1] + 0.5) / owner.shape[1], (place[0] + 0.5) / owner.shape[0]))
