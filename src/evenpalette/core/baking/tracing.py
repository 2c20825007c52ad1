"""What a ray meets: faces that count, and how much of them is there."""

from dataclasses import field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import njit
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.rays import RayScene, first_hit

#: Layers of what is clear, or does not count, that a ray is followed through.
_MOST_LAYERS = 64
#: No ray goes farther, in units of the mesh.
ENDLESS = np.float32(1e30)


@dataclass(frozen=True, eq=False)
class Casters:
    """What may stand in a ray's way.

    counts, wants: int32: a face counts for rays that start on a face that wants its number, or a negative one; None is
    all of them.
    opacity: float32 (height, width) of 0..1, how much of the surface is there; None is all of it. ground: the height
    of a floor without end, None for none.
    """

    counts: NDArray[np.int32] | None = None
    wants: NDArray[np.int32] | None = None
    opacity: NDArray[np.float32] | None = None
    ground: float | None = None

    @property
    def are_all(self) -> bool:
        """Whether everything hides, and all of it."""
        return self.counts is None and self.opacity is None and self.ground is None


@dataclass(frozen=True, eq=False)
class Traced:
    """A mesh that rays can be sent against, with what may stand in their way."""

    mesh: Mesh
    casters: Casters = field(default_factory=Casters)

    @cached_property
    def scene(self) -> RayScene:
        return RayScene(self.mesh.positions, self.mesh.faces)

    @cached_property
    def arguments(self) -> tuple[Any, ...]:
        """What `meets` takes as `traced`."""
        casters, empty = self.casters, np.empty(0, np.int32)
        counts = casters.counts if casters.counts is not None else empty
        wants = casters.wants if casters.wants is not None else empty
        uvs = self.mesh.uvs if casters.opacity is not None and self.mesh.uvs is not None else np.empty((0, 3, 2))
        opacity = casters.opacity if casters.opacity is not None and len(uvs) else np.empty((0, 0), np.float32)
        ground = -np.inf if casters.ground is None else casters.ground
        return (
            self.scene.handle, self.scene.nearest, np.ascontiguousarray(counts, np.int32),
            np.ascontiguousarray(wants, np.int32), np.ascontiguousarray(uvs, np.float32),
            np.ascontiguousarray(opacity, np.float32), np.float64(ground),
        )  # fmt: skip

    @property
    def lift(self) -> float:
        """How far off the surface rays start: farther than the places are inexact."""
        low, high = self.mesh.bounds
        return 2e-5 * float(np.linalg.norm(high - low)) + 1e-6 * float(np.abs(np.stack([low, high])).max())


@njit(nogil=True, inline="always")
def texel_at(uvs, face, b, c, height, width):  # type: ignore[no-untyped-def]
    """Row and column of the texel under a place on a face, by the shares of its second and third corner."""
    a = 1 - b - c
    u = a * uvs[face, 0, 0] + b * uvs[face, 1, 0] + c * uvs[face, 2, 0]
    v = a * uvs[face, 0, 1] + b * uvs[face, 1, 1] + c * uvs[face, 2, 1]
    u, v = u - np.floor(u), v - np.floor(v)
    return min(height - 1, int(v * height)), min(width - 1, int(u * width))


@njit(nogil=True, inline="always")
def meets(ray, words, at, origin, way, far, own, lift, traced):  # type: ignore[no-untyped-def]
    """How much of what counts stands on a ray, 0..1, how far off it begins, and the face that is met, -1 for the
    ground or none; ray[15] and ray[16] are then the shares of the last face's second and third corner.

    own: the face that the ray starts on. What is partly there lets the rest through.
    """
    scene, nearest, counts, wants, uvs, opacity, ground = traced
    floor = np.inf
    if way[1] < 0 and ground > -np.inf:
        floor = max((ground - origin[1]) / way[1], 0.0)
        floor = floor if floor < far else np.inf
    through, near, distance, first = 1.0, np.float32(0), -1.0, -1
    for _ in range(_MOST_LAYERS):
        face = first_hit(scene, nearest, ray, words, at, origin, way, near, np.float32(min(far, floor)))
        if face < 0:
            break
        near = ray[8] + np.float32(lift)
        if counts.size and wants[own] >= 0 and counts[face] != wants[own]:
            continue
        there = 1.0
        if opacity.size:
            row, column = texel_at(uvs, face, ray[15], ray[16], opacity.shape[0], opacity.shape[1])
            there = opacity[row, column]
        if there > 0 and distance < 0:
            distance, first = ray[8], face
        through *= 1 - there
        if through < 1e-3:
            return 1.0, distance, first
    if floor < np.inf:
        return 1.0, floor if distance < 0 else distance, first
    return 1 - through, distance, first
