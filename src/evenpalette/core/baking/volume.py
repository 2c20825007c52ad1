"""What lies inside of a body around a place, by rays that go through it: curvature and thickness."""

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from evenpalette.core.baking.openness import Estimate, surface_at, variance_of
from evenpalette.core.baking.passes import in_passes
from evenpalette.core.baking.points import Points
from evenpalette.core.baking.sampling import sides, spread, start_of
from evenpalette.core.baking.tracing import Traced
from evenpalette.core.kernels import njit
from evenpalette.core.mesh.rays import first_hit, ray_room
from evenpalette.core.parallel import Progress

#: Walls that a ray is followed through.
_MOST_WALLS = 16


@njit(nogil=True, cache=True)
def _outside(  # type: ignore[no-untyped-def]
    corners, normals, at, width, faces, shares, first, last, total, radius, lift, scene, nearest, sums, squares
):
    """Add rays of each place: the share of a thin cone of the ball that is outside of the body."""
    ray, words, room = ray_room()
    surface, origin, way = np.empty(15), np.empty(3), np.empty(3)
    volume = radius * radius * radius
    for i in range(at.size):
        surface_at(corners, normals, faces[i], shares[i, 0], shares[i, 1], surface)
        one, two, number = start_of(at[i] % width, at[i] // width, total)
        for k in range(first, last):
            u, v = spread(one, two, number + k)
            # All directions alike; each is taken together with the one against it.
            z, angle = 2 * u - 1, 2 * np.pi * v
            r = np.sqrt(max(0.0, 1 - z * z))
            found = 0.0
            for turn in (1.0, -1.0):
                way[0], way[1], way[2] = turn * r * np.cos(angle), turn * r * np.sin(angle), turn * z
                along = way[0] * surface[6] + way[1] * surface[7] + way[2] * surface[8]
                out = along >= 0
                side = lift if out else -lift
                for c in range(3):
                    origin[c] = surface[c] + side * surface[6 + c]
                near, share, begin = np.float32(0), 0.0, 0.0
                for _ in range(_MOST_WALLS):
                    face = first_hit(scene, nearest, ray, words, room, origin, way, near, np.float32(radius))
                    end = radius if face < 0 else np.float64(ray[8])
                    if out:
                        share += (end * end * end - begin * begin * begin) / volume
                    if face < 0:
                        break
                    # Which side of the wall is met says where the ray goes on: walls may lie in one another.
                    faced = ray[12] * way[0] + ray[13] * way[1] + ray[14] * way[2]
                    out = faced > 0
                    begin, near = end, np.float32(end + lift)
                found += 0.5 * share
            sums[i, 0] += found
            squares[i] += found * found


@njit(nogil=True, cache=True)
def _through(  # type: ignore[no-untyped-def]
    corners, normals, at, width, faces, shares, first, last, total, reach, lift, scene, nearest, sums, squares
):
    """Add rays of each place: how far it is to the other side, along the normal, as a share of the reach."""
    ray, words, room = ray_room()
    surface, origin, way = np.empty(15), np.empty(3), np.empty(3)
    for i in range(at.size):
        surface_at(corners, normals, faces[i], shares[i, 0], shares[i, 1], surface)
        for c in range(3):
            origin[c] = surface[c] - lift * surface[6 + c]
        one, two, number = start_of(at[i] % width, at[i] // width, total)
        sx, sy, sz, tx, ty, tz = sides(surface[6], surface[7], surface[8])
        for k in range(first, last):
            u, v = spread(one, two, number + k)
            # The cosine law within a cone of 45 degrees.
            r, angle = np.sqrt(0.5 * u), 2 * np.pi * v
            x, y, z = r * np.cos(angle), r * np.sin(angle), np.sqrt(1 - 0.5 * u)
            way[0] = x * sx + y * tx - z * surface[6]
            way[1] = x * sy + y * ty - z * surface[7]
            way[2] = x * sz + y * tz - z * surface[8]
            face = first_hit(scene, nearest, ray, words, room, origin, way, np.float32(0), np.float32(reach / z))
            share = 1.0 if face < 0 else min((np.float64(ray[8]) * z + lift) / reach, 1.0)
            sums[i, 0] += share
            squares[i] += share * share


def _gathered(
    kernel: Callable[..., Any], points: Points, traced: Traced, rays: int, length: float, progress: Progress
) -> Iterator[Estimate]:
    count, mesh = len(points), points.mesh
    sums, squares = np.zeros((count, 1), np.float32), np.zeros(count, np.float32)
    scene = traced.scene

    def work(part: slice, first: int, last: int) -> None:
        kernel(
            points.corners, mesh.normals, points.at[part], points.shape[1], points.faces[part], points.shares[part],
            first, last, rays, float(length), traced.lift, scene.handle, scene.nearest, sums[part], squares[part],
        )  # fmt: skip

    for done in in_passes(count, rays, progress, work):
        yield Estimate(done, sums / np.float32(done), variance_of(sums[:, 0], squares, done))


def outside(points: Points, traced: Traced, *, rays: int, radius: float, progress: Progress) -> Iterator[Estimate]:
    """The share of a ball around each place that lies outside of the body, 0..1: values (n, 1). radius: in units of the
    mesh. Half on a plane; 1/2 + 3 r / (16 R) on a sphere of radius R (the cap of a ball, by integration)."""
    return _gathered(_outside, points, traced, rays, radius, progress)


def through(points: Points, traced: Traced, *, rays: int, reach: float, progress: Progress) -> Iterator[Estimate]:
    """How far it is through the body to the other side, taken along the face's normal, as a share of the reach in units
    of the mesh, at most 1: values (n, 1). Within a slab its thickness, whatever the direction of a ray."""
    return _gathered(_through, points, traced, rays, reach, progress)
