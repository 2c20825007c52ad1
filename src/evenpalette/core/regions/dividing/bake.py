"""Regions that are sets of faces, drawn into UV space."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.tiles import FIRST, tiles_of
from evenpalette.core.mesh.uv_coverage import SAMPLES, cover_texels
from evenpalette.core.parallel import row_strips, run_over
from evenpalette.core.raster.padding import nearest_covered

SMALLEST, LARGEST = 16, 8192
#: Padding by this many texels or more fills the whole gutter.
FULL_GUTTER = 8192


@dataclass(frozen=True, eq=False)
class Bake:
    """What a bake gave.

    coverages: uint8 (regions, size, size), padded. covered: bool (size, size), texels that some face touches.
    areas: float64 (regions,), covered area before padding as a part of the tile.
    """

    coverages: NDArray[np.uint8]
    covered: NDArray[np.bool_]
    areas: NDArray[np.float64]


def check_uvs(mesh: Mesh) -> None:
    """Raise RegionError when the mesh cannot be baked: no UVs, no area, or UVs spread over several tiles."""
    if mesh.uvs is None:
        raise RegionError(f"{mesh.name} has no UVs, so nothing can be baked. Unwrap it where it was modeled.")
    if np.abs(mesh.uv_areas()).sum() < 1e-9:
        raise RegionError(f"All UVs of {mesh.name} lie in one point or line. Unwrap it where it was modeled.")
    others = [tile for tile in tiles_of(mesh) if tile != FIRST]
    if others and not mesh.tile:
        raise RegionError(
            f"{mesh.name} has faces in other UV tiles ({', '.join(others[:4])}). "
            "Choose the tile to work in at Asset, or wrap them all into one there.",
            flag="--tile TILE, or --tile wrap.",
        )


def bake_faces(
    mesh: Mesh, labels: NDArray[np.int32], count: int, *, size: int = 1024, samples: int = 16, padding_texels: int = 16,
    workers: int = 0,
) -> Bake:  # fmt: skip
    """Draw labelled faces into UV space.

    labels: int32 (F,), which of `count` regions a face belongs to, -1 for none. samples: 0 exact area, 1, 16 or 64
    points a texel. Texels on the rim of an island belong wholly to what lies there, so that no halo of nothing shows;
    padding then carries the nearest texel outward over `padding_texels` empty texels, and never onto a face's texel.
    workers: threads, 0 is one for each core. Raises RegionError for a size or mesh that cannot be baked.
    """
    check_uvs(mesh)
    assert mesh.uvs is not None
    if not SMALLEST <= size <= LARGEST:
        raise RegionError(f"A bake is {SMALLEST} to {LARGEST} texels a side, not {size}.")
    if samples not in SAMPLES:
        raise RegionError(f"A bake takes {', '.join(map(str, SAMPLES))} samples a texel (0 is exact), not {samples}.")
    # Faces of no region take their place in the texel too, or their share would go to their neighbors.
    everything = np.where(labels < 0, count, labels).astype(np.int32)
    corners = np.ascontiguousarray(mesh.uvs, np.float64)
    planes = np.zeros((count, size, size), np.uint8)
    covered = np.zeros((size, size), bool)
    strips = row_strips(size, size)
    sums = np.zeros((len(strips), count))

    def strip(index: int) -> None:
        rows = strips[index]
        raw = cover_texels(corners, everything, count + 1, size, samples, rows)
        total = raw.sum(0)
        covered[rows] = total > 1e-6
        sums[index] = raw[:count].sum((1, 2), dtype=np.float64)
        scale = np.divide(255, total, out=np.zeros_like(total), where=covered[rows])
        for region in range(count):
            planes[region, rows] = np.rint(raw[region] * scale)

    run_over(range(len(strips)), strip, workers=workers)
    source = nearest_covered(covered, padding_texels)
    for region in range(count):
        planes[region] = np.take(planes[region], source)
    return Bake(planes, covered, sums.sum(0) / size**2)


def id_map_from(coverages: NDArray[np.uint8], flags: list[str]) -> NDArray[np.uint8]:
    """Coverages as one picture of flag colors, uint8 (height, width, 3)."""
    picture = np.empty((*coverages.shape[1:], 3), np.uint8)
    colors = [np.array(parse_hex(flag), np.float32) / 255 for flag in flags]
    for rows in row_strips(*picture.shape[:2]):
        mixed = np.zeros(picture[rows].shape, np.float32)
        for plane, color in zip(coverages, colors, strict=True):
            mixed += plane[rows][..., None] * color
        picture[rows] = np.clip(np.rint(mixed), 0, 255)
    return picture
