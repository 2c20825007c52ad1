"""Places of a coarse mesh found on a finer one."""

from dataclasses import replace

import numpy as np

from evenpalette.core.baking.openness import surface_at
from evenpalette.core.baking.points import Points
from evenpalette.core.baking.tracing import Casters, Traced
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import MeshFileError
from evenpalette.core.kernels import njit
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.rays import first_hit, ray_room
from evenpalette.core.parallel import Progress, no_progress, run_over

_PIECE = 20000


@dataclass(frozen=True, eq=False)
class Finer:
    """A finer mesh to bake from, as it stands. distance: how far off the coarse one it may lie, in units of the mesh.
    cage: the coarse mesh swollen, face by face, from which is looked inward; None looks along normals, both ways."""

    mesh: Mesh
    distance: float
    cage: Mesh | None = None


@njit(nogil=True, cache=True)
def _find(corners, normals, cage, faces, shares, distance, counts, wants, scene, nearest, found, places):  # type: ignore[no-untyped-def]
    """The face of the finer mesh at each place, -1 for none, and the shares of its second and third corner."""
    ray, words, room = ray_room()
    surface, origin, way = np.empty(15), np.empty(3), np.empty(3)
    caged = cage.shape[0] > 0
    for i in range(faces.size):
        face = faces[i]
        b, c = shares[i, 0], shares[i, 1]
        surface_at(corners, normals, face, b, c, surface)
        best, found[i] = np.inf, -1
        for turn in (-1.0, 1.0):
            far = distance
            if caged:
                if turn > 0:
                    break
                length = 0.0
                for k in range(3):
                    at = (1 - b - c) * cage[face, 0, k] + b * cage[face, 1, k] + c * cage[face, 2, k]
                    origin[k], way[k] = at, surface[k] - at
                    length += way[k] * way[k]
                length = np.sqrt(length)
                for k in range(3):
                    way[k] = way[k] / length if length > 0 else -surface[3 + k]
                # As far behind the coarse surface as the cage stands before it.
                far = 2 * length
            else:
                for k in range(3):
                    # A little against the way, so that a surface in the same place is met.
                    origin[k], way[k] = surface[k] - turn * 1e-4 * distance * surface[3 + k], turn * surface[3 + k]
            near = np.float32(0)
            for _ in range(64):
                hit = first_hit(scene, nearest, ray, words, room, origin, way, near, np.float32(far))
                if hit < 0 or ray[8] >= best:
                    break
                near = np.float32(ray[8] * (1 + 1e-6) + 1e-6 * distance)
                if counts.size and wants[face] >= 0 and counts[hit] != wants[face]:
                    continue
                # Only surfaces that look the same way.
                along = ray[12] * surface[3] + ray[13] * surface[4] + ray[14] * surface[5]
                if along <= 0:
                    continue
                best, found[i] = ray[8], hit
                places[i, 0], places[i, 1] = ray[15], ray[16]
                break


def named_alike(low: Mesh, fine: Mesh) -> Casters:
    """Material groups of one name see only each other; one that has no partner sees everything."""
    names = {name.casefold(): index for index, name in enumerate(fine.group_names)}
    wanted = np.array([names.get(name.casefold(), -1) for name in low.group_names], np.int32)
    if (wanted < 0).all() or len(fine.group_names) < 2:
        return Casters()
    return Casters(counts=fine.groups.astype(np.int32), wants=wanted[low.groups])


def found_on(points: Points, finer: Finer, progress: Progress = no_progress) -> tuple[Points, Points]:
    """Those of the places that were found on the finer mesh, and where they lie on it. Raises MeshFileError where none
    was, or where the cage does not fit."""
    low, fine = points.mesh, finer.mesh
    if finer.cage is not None and finer.cage.face_count != low.face_count:
        raise MeshFileError(
            f"The cage {finer.cage.name} has {finer.cage.face_count:,} faces, {low.name} has {low.face_count:,}. "
            "It must be the same mesh, swollen."
        )
    cage = np.empty((0, 3, 3), np.float32)
    if finer.cage is not None:
        cage = np.ascontiguousarray(finer.cage.positions[finer.cage.faces], np.float32)
    casters, empty = named_alike(low, fine), np.empty(0, np.int32)
    counts = casters.counts if casters.counts is not None else empty
    wants = casters.wants if casters.wants is not None else empty
    scene = Traced(fine).scene
    faces, places = np.empty(len(points), np.int64), np.zeros((len(points), 2), np.float32)

    def work(start: int) -> None:
        part = slice(start, start + _PIECE)
        _find(
            points.corners, low.normals, cage, points.faces[part], points.shares[part], float(finer.distance), counts,
            wants, scene.handle, scene.nearest, faces[part], places[part],
        )  # fmt: skip

    run_over(range(0, len(points), _PIECE), work, progress)
    seen = faces >= 0
    if not seen.any():
        raise MeshFileError(
            f"{fine.name} lies nowhere within {finer.distance:g} of {low.name}. Do both stand in the same place and size?"
        )
    kept = replace(
        points, at=points.at[seen], faces=points.faces[seen], shares=points.shares[seen], on_face=points.on_face[seen]
    )
    there = replace(kept, mesh=fine, faces=faces[seen].astype(np.int32), shares=places[seen])
    return kept, there
