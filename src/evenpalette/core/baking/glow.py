"""Glow that reaches its surroundings: light that a surface sends out, gathered over it.

Light is linear in the lamps, so it is gathered for each lamp apart and in white; what a lamp's color is, is multiplied
later; one that shines through a picture is gathered in the picture's colors. Diffuse surfaces: what arrives is the mean
of the light over the cosine-weighted half space (radiosity, C. Goral et al. 1984), a share of it by the base color is
sent on.
"""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.baking.openness import cosine_way, surface_at, variance_of
from evenpalette.core.baking.passes import in_passes
from evenpalette.core.baking.points import Points
from evenpalette.core.baking.sampling import start_of
from evenpalette.core.baking.tracing import ENDLESS, Traced, meets, texel_at
from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import njit
from evenpalette.core.mesh.rays import ray_room
from evenpalette.core.parallel import Progress, no_progress, part_of


@dataclass(frozen=True, eq=False)
class Gathered:
    """Light that arrives after so many rays of each place: float32 (n, K), and the variance (n,) of the mean of the
    channels."""

    rays: int
    light: NDArray[np.float32]
    variance: NDArray[np.float32]


@njit(nogil=True, cache=True)
def _gather(  # type: ignore[no-untyped-def]
    corners, normals, at, width, faces, shares, first, last, total, reach, lift, traced, uvs, sent, sums, squares
):
    """Add what rays of each place meet. sent: what each texel sends out, float32 (h, w, K)."""
    ray, words, room = ray_room()
    surface, origin, way = np.empty(15), np.empty(3), np.empty(3)
    height, across, channels = sent.shape
    far = ENDLESS if reach <= 0 else np.float32(reach)
    for i in range(at.size):
        face = faces[i]
        surface_at(corners, normals, face, shares[i, 0], shares[i, 1], surface)
        for k in range(3):
            origin[k] = surface[k] + lift * surface[6 + k]
        one, two, number = start_of(at[i] % width, at[i] // width, total)
        for k in range(first, last):
            cosine_way(surface, one, two, number + k, way)
            there, _, hit = meets(ray, words, room, origin, way, far, face, lift, traced)
            if there <= 0 or hit < 0:
                continue
            y, x = texel_at(uvs, hit, ray[15], ray[16], height, across)
            mean = 0.0
            for channel in range(channels):
                light = there * sent[y, x, channel]
                sums[i, channel] += light
                mean += light
            squares[i] += (mean / channels) ** 2


def gathered(
    points: Points, traced: Traced, sent: NDArray[np.float32], *, rays: int, reach: float = 0.0,
    progress: Progress = no_progress,
) -> Iterator[Gathered]:  # fmt: skip
    """What arrives at each place of the light that a surface sends out: the mean over the cosine-weighted half space,
    where nothing is met 0. Once after a few rays, then after more.

    sent: float32 (h, w, K), any channels, by the mesh's UVs, with the gutter filled. reach: in units of the mesh, 0 for
    no end.
    """
    mesh, count = points.mesh, len(points)
    assert mesh.uvs is not None
    sent = np.ascontiguousarray(sent, np.float32)
    sums, squares = np.zeros((count, sent.shape[2]), np.float32), np.zeros(count, np.float32)

    def work(part: slice, first: int, last: int) -> None:
        _gather(
            points.corners, mesh.normals, points.at[part], points.shape[1], points.faces[part], points.shares[part],
            first, last, rays, float(reach), traced.lift, traced.arguments, mesh.uvs, sent, sums[part], squares[part],
        )  # fmt: skip

    for done in in_passes(count, rays, progress, work):
        variance = variance_of(sums.mean(1), squares, done)
        yield Gathered(done, sums / np.float32(done), variance)


def bounced(
    points: Points, traced: Traced, lamps: NDArray[np.float32], albedo: NDArray[np.float32],
    gutter: NDArray[np.int32], *, bounces: int, rays: int, reach: float = 0.0, progress: Progress = no_progress,
) -> Iterator[tuple[int, Gathered]]:  # fmt: skip
    """The light of lamps that arrives at each place, of each lamp apart: straight, then with one bounce, two ...

    lamps: float32 (h, w, L), how bright each texel is in the light of each lamp, in white; or (h, w, L, 3), with colors
    of its own. albedo: float32 (h, w, 3),
    the linear base color, 0..1. gutter: for each texel the flat index of the one whose value it takes. Yields how many
    bounces are in it, and the sum so far, light (n, 3 L): red, green and blue of one lamp after the other.
    """
    count = lamps.shape[2]
    passes = bounces + 1
    is_plain = lamps.ndim == 3
    sent = np.ascontiguousarray(lamps.reshape(*lamps.shape[:2], -1))
    total: NDArray[np.float32] | None = None
    spread: NDArray[np.float32] | None = None
    for bounce in range(passes):
        part = part_of(progress, bounce / passes, 1 / passes)
        last: Gathered | None = None
        for last in gathered(points, traced, sent, rays=rays, reach=reach, progress=part):
            light = np.repeat(last.light, 3, 1) if is_plain and bounce == 0 else last.light
            made = light if total is None else total + light
            variance = last.variance if spread is None else spread + last.variance
            yield bounce, Gathered(last.rays, made, variance)
        if last is None or bounce == bounces:
            return
        total, spread = made, variance
        # A share of what arrived is sent on.
        colors = np.tile(albedo.reshape(-1, 3)[points.at], (1, count))
        sent = points.laid(np.ascontiguousarray(light * colors), gutter)
