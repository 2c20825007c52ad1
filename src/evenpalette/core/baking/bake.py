"""One bake from a mesh to a map: coarse first, then without noise and with its gutter filled."""

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.baking.denoise import DENOISERS, Denoiser, guides_of
from evenpalette.core.baking.finer import Finer, found_on
from evenpalette.core.baking.kind import Around, BakeKind
from evenpalette.core.baking.openness import Estimate
from evenpalette.core.baking.points import Points, surface_points
from evenpalette.core.baking.tracing import Casters, Traced
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError, MeshFileError
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import find_topology
from evenpalette.core.parallel import Progress, no_progress, part_of
from evenpalette.core.raster.padding import nearest_covered

#: The part of the time that rays take; the rest is the denoiser's.
RAYS_SHARE = 0.9
#: Called with the map as it is known so far, float32 (h, w, K), and the rays of each texel.
Seen = Callable[[NDArray[np.float32], int], None]


@dataclass(frozen=True)
class BakeWish:
    """How a bake is made. values: of the kind's settings. padding: texels that the gutter is filled by, a negative
    number fills all of it. opacity: float32 (h, w) of 0..1, None is all there. target: bool (F,), see `Around`.
    groups: names of the material groups that hide, () for what the settings say."""

    kind: BakeKind
    values: Mapping[str, Any]
    denoiser: str = "own"
    padding: int = -1
    finer: Finer | None = None
    opacity: NDArray[np.float32] | None = None
    target: NDArray[np.bool_] | None = None
    groups: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class BakedMap:
    """A map, float32 (h, w, K) of 0..1 as it is stored; what it took; and what there is to say of it."""

    values: NDArray[np.float32]
    rays: int
    seconds: float
    notes: tuple[str, ...] = ()


def check_layout(mesh: Mesh) -> None:
    """Raise MeshFileError where no map of the mesh can be made, saying what is wrong with its layout."""
    if mesh.uvs is None:
        raise MeshFileError(f"{mesh.name} has no UVs, so nothing can be baked. Unwrap it where it was modeled.")
    if np.abs(mesh.uv_areas()).sum() < 1e-9:
        raise MeshFileError(f"All UVs of {mesh.name} lie in one point or line. Unwrap it where it was modeled.")
    inside = ((mesh.uvs.max(1) > 0) & (mesh.uvs.min(1) < 1)).all(-1)
    if not inside.any():
        raise MeshFileError(
            f"All faces of {mesh.name} lie outside of the UV tile. Choose the tile to work in at Asset.",
            flag="--tile TILE.",
        )


def notes_on(texels: Texels) -> list[str]:
    """What a layout keeps from the map: faces outside of it, and islands on top of each other."""
    mesh, found = texels.mesh, []
    assert mesh.uvs is not None
    aside = int((~((mesh.uvs.max(1) > 0) & (mesh.uvs.min(1) < 1)).all(-1)).sum())
    if aside:
        found.append(f"{aside:,} faces lie outside of the UV tile and are not on the map")
    areas = mesh.uv_areas()
    small = int((np.abs(areas) * texels.shape[0] * texels.shape[1] < 1e-6).sum())
    if small:
        found.append(f"{small:,} faces have no area in the layout and are not on the map")
    covered = float(np.abs(areas).sum()) * texels.shape[0] * texels.shape[1]
    under = int((texels.faces >= 0).sum())
    if under and covered > 1.02 * under + 64 and texels.topology.island_count > 1 and not aside:
        found.append(
            "islands lie on top of each other: texels that they share have the light of the one that comes last in the file"
        )
    return found


def casters_of(
    mesh: Mesh, values: Mapping[str, Any], opacity: NDArray[np.float32] | None, groups: Sequence[str] = ()
) -> Casters:
    """What may stand in a ray's way, by a bake's settings; with groups only faces of these. Raises MeshFileError for
    one that the mesh does not have."""
    ground = float(mesh.bounds[0][1]) if values.get("ground") else None
    if groups:
        hides = np.isin(mesh.groups, [mesh.group_named(name) for name in groups]).astype(np.int32)
        return Casters(hides, np.ones_like(hides), opacity, ground)
    labels = {
        "Its own piece": lambda: find_topology(mesh).shells, "Its own material group": lambda: mesh.groups,
    }.get(str(values.get("casters")))  # fmt: skip
    numbers = labels().astype(np.int32) if labels is not None else None
    return Casters(numbers, numbers, opacity, ground)


def around_of(wish: BakeWish, texels: Texels, progress: Progress = no_progress) -> Around:
    """What a bake looks at. Raises MeshFileError."""
    check_layout(texels.mesh)
    wish.kind.check(has_finer=wish.finer is not None)
    low = surface_points(texels)
    points: Points = low
    mesh = texels.mesh
    if wish.finer is not None:
        low, points = found_on(low, wish.finer, progress)
        mesh = wish.finer.mesh
    casters = casters_of(mesh, wish.values, wish.opacity if mesh is texels.mesh else None, wish.groups)
    return Around(texels, low, points, Traced(mesh, casters), wish.target, progress)


def gutter_of(points: Points, padding: int) -> NDArray[np.int32]:
    """For each texel of a map the flat index of the one whose value it takes. padding: texels that the gutter is filled
    by, a negative number fills all of it."""
    where = np.zeros(points.shape, bool)
    where.reshape(-1)[points.at] = True
    return nearest_covered(where, sum(points.shape) if padding < 0 else padding)


def without_noise(
    points: Points, texels: Texels, values: NDArray[np.float32], variance: NDArray[np.float32],
    denoise: Denoiser | None, progress: Progress,
) -> NDArray[np.float32]:  # fmt: skip
    """Values of places, (n, K), without their noise; the same ones where nothing is to be taken out. progress: of the
    whole bake, of which this is the end."""
    if denoise is None:
        return values
    flat = np.arange(points.shape[0] * points.shape[1], dtype=np.int32).reshape(points.shape)
    guides = guides_of(points, texels.topology.islands)
    part = part_of(progress, RAYS_SHARE, 1 - RAYS_SHARE)
    made = denoise(points.laid(values, flat), points.laid(variance, flat), guides, progress=part)
    return np.asarray(made.reshape(-1, made.shape[2])[points.at], np.float32)


def bake(wish: BakeWish, texels: Texels, *, progress: Progress = no_progress, seen: Seen | None = None) -> BakedMap:
    """Make a map. seen: is shown it while it gets better. Raises EvenPaletteError, and Cancelled from `progress`."""
    begun = time.monotonic()
    denoise = DENOISERS[wish.denoiser] if wish.kind.traced else None
    around = replace(around_of(wish, texels), progress=part_of(progress, 0, RAYS_SHARE if denoise else 1.0))
    low = around.low
    gutter = gutter_of(low, wish.padding)
    found: Estimate | None = None
    for found in wish.kind.make(around, wish.values):
        if seen is not None and found.rays < int(wish.values.get("rays", 0)):
            seen(low.laid(found.values, gutter), found.rays)
    if found is None:
        raise EvenPaletteError("Nothing was baked.")
    values = found.values
    if found.rays:
        values = without_noise(low, texels, values, found.variance, denoise, progress)
    notes = notes_on(texels)
    if wish.finer is not None:
        lost = 1 - len(low) / max(1, len(surface_points(texels)))
        if lost > 0.001:
            notes.append(f"{lost:.1%} of the texels found nothing on {wish.finer.mesh.name} and took their neighbors'")
    return BakedMap(low.laid(values, gutter), found.rays, time.monotonic() - begun, tuple(notes))
