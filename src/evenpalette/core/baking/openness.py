"""How open a surface lies, by cosine-weighted rays; few first, then more, so that a picture is soon there."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.baking.passes import in_passes
from evenpalette.core.baking.points import Points
from evenpalette.core.baking.sampling import sides, spread, start_of
from evenpalette.core.baking.tracing import ENDLESS, Traced, meets
from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import njit
from evenpalette.core.mesh.rays import is_blocked, ray_room
from evenpalette.core.parallel import Progress, no_progress


@dataclass(frozen=True, eq=False)
class Estimate:
    """What is known after so many rays of each place. values: float32 (n, K). variance: float32 (n,), of the mean of
    the first value."""

    rays: int
    values: NDArray[np.float32]
    variance: NDArray[np.float32]


def variance_of(sums: NDArray[np.float32], squares: NDArray[np.float32], rays: int) -> NDArray[np.float32]:
    """The variance of the mean of so many values, of which the sum and the sum of squares are known."""
    mean = sums / np.float32(rays)
    return np.asarray(np.maximum(squares / np.float32(rays) - mean * mean, 0) / np.float32(rays), np.float32)


@njit(nogil=True, inline="always")
def surface_at(corners, normals, face, b, c, out):  # type: ignore[no-untyped-def]
    """Into out: the place 0..2, the unit normal 3..5, the unit normal of the face 6..8, which is the same side, and two
    unit vectors across the normal 9..14."""
    a = 1 - b - c
    for k in range(3):
        out[k] = a * corners[face, 0, k] + b * corners[face, 1, k] + c * corners[face, 2, k]
        out[3 + k] = a * normals[face, 0, k] + b * normals[face, 1, k] + c * normals[face, 2, k]
    length = max(np.sqrt(out[3] * out[3] + out[4] * out[4] + out[5] * out[5]), 1e-12)
    for k in range(3):
        out[3 + k] /= length
    e = corners[face, 1] - corners[face, 0]
    f = corners[face, 2] - corners[face, 0]
    out[6], out[7], out[8] = e[1] * f[2] - e[2] * f[1], e[2] * f[0] - e[0] * f[2], e[0] * f[1] - e[1] * f[0]
    length = np.sqrt(out[6] * out[6] + out[7] * out[7] + out[8] * out[8])
    along = out[3] * out[6] + out[4] * out[7] + out[5] * out[8]
    if length < 1e-20:
        out[6], out[7], out[8] = out[3], out[4], out[5]
    else:
        length = length if along >= 0 else -length
        for k in range(3):
            out[6 + k] /= length
    out[9], out[10], out[11], out[12], out[13], out[14] = sides(out[3], out[4], out[5])


@njit(nogil=True, inline="always")
def cosine_way(surface, one, two, number, way):  # type: ignore[no-untyped-def]
    """A direction over the normal by the cosine law; one that goes into the face is mirrored out of it."""
    u, v = spread(one, two, number)
    r, angle = np.sqrt(u), 2 * np.pi * v
    x, y, z = r * np.cos(angle), r * np.sin(angle), np.sqrt(1 - u)
    dx = x * surface[9] + y * surface[12] + z * surface[3]
    dy = x * surface[10] + y * surface[13] + z * surface[4]
    dz = x * surface[11] + y * surface[14] + z * surface[5]
    below = dx * surface[6] + dy * surface[7] + dz * surface[8]
    if below < 0:
        dx, dy, dz = dx - 2 * below * surface[6], dy - 2 * below * surface[7], dz - 2 * below * surface[8]
    way[0], way[1], way[2] = dx, dy, dz


@njit(nogil=True, cache=True)
def _open(  # type: ignore[no-untyped-def]
    corners, normals, at, width, faces, shares, first, last, total, reach, lift, plain, traced, hidden, squares, ways
):
    """Add rays `first` to `last` of each place: what is hidden to hidden (n,), open directions to ways (n, 3) where
    there is room. plain: the address of the question whether anything is met, where that is all, else 0."""
    ray, words, room = ray_room()
    surface, origin, way = np.empty(15), np.empty(3), np.empty(3)
    endless = reach <= 0
    far = ENDLESS if endless else np.float32(reach)
    for i in range(at.size):
        face = faces[i]
        surface_at(corners, normals, face, shares[i, 0], shares[i, 1], surface)
        for k in range(3):
            origin[k] = surface[k] + lift * surface[6 + k]
        one, two, number = start_of(at[i] % width, at[i] // width, total)
        for k in range(first, last):
            cosine_way(surface, one, two, number + k, way)
            if plain:
                there = 1.0 if is_blocked(traced[0], plain, ray, words, room, origin, way, np.float32(0), far) else 0.0
            else:
                there, distance, _ = meets(ray, words, room, origin, way, far, face, lift, traced)
            if there > 0:
                if not endless:
                    # What is farther hides less, and nothing at the end of the reach.
                    share = min(distance / reach, 1.0)
                    there *= 1 - share * share
                hidden[i] += there
                squares[i] += there * there
            if ways.size:
                for c in range(3):
                    ways[i, c] += (1 - there) * way[c]


def openness(
    points: Points, traced: Traced, *, rays: int, reach: float = 0.0, directions: bool = False,
    progress: Progress = no_progress,
) -> Iterator[Estimate]:  # fmt: skip
    """The share of the cosine-weighted half space over each place that is open, 0..1: values (n, 1); with `directions`
    also the mean of the open directions, (n, 4). Once after a few rays of each place, then after more, at last after
    all.

    points: places on `traced`'s mesh. reach: in its units, 0 for no end; what stands at a distance d hides
    1 - (d / reach)^2 of its direction, and nothing from the reach on.
    """
    count, mesh = len(points), points.mesh
    hidden, squares = np.zeros(count, np.float32), np.zeros(count, np.float32)
    ways = np.zeros((count if directions else 0, 3), np.float32)
    plain = traced.scene.any if reach <= 0 and traced.casters.are_all else 0

    def work(part: slice, first: int, last: int) -> None:
        _open(
            points.corners, mesh.normals, points.at[part], points.shape[1], points.faces[part], points.shares[part],
            first, last, rays, float(reach), traced.lift, plain, traced.arguments, hidden[part], squares[part],
            ways[part],
        )  # fmt: skip

    for done in in_passes(count, rays, progress, work):
        values = 1 - hidden[:, None] / np.float32(done)
        if directions:
            values = np.concatenate([values, ways / np.float32(done)], 1)
        yield Estimate(done, values, variance_of(hidden, squares, done))
