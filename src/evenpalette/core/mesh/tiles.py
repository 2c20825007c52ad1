"""UV tiles: layouts that leave the first one, to be worked on tile by tile or wrapped into one."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import MeshFileError
from evenpalette.core.mesh.mesh import Mesh

#: Where faces of tiles that are not worked on are put: no texel is under them.
ASIDE = -1.0
#: All islands are moved by whole tiles into the first one, as a repeating texture shows them.
WRAP = "wrap"
FIRST = "1001"
#: More than a layout has tiles in a row.
_APART = 1 << 20


def _corners_of_tiles(mesh: Mesh) -> NDArray[np.int64]:
    """The tile (u, v), v up, that the middle of each face lies in, int64 (F, 2)."""
    assert mesh.uvs is not None
    middles = mesh.uvs.astype(np.float64).mean(1)
    return np.floor(np.stack([middles[:, 0], 1 - middles[:, 1]], -1)).astype(np.int64)


def _name(u: int, v: int) -> str:
    """1001 + u + 10 v where that numbering reaches (common practice, no source), else the tile's place."""
    return f"{1001 + u + 10 * v}" if 0 <= u < 10 and 0 <= v < 900 else f"({u}, {v})"


def tiles_of(mesh: Mesh) -> dict[str, int]:
    """How many faces with an area lie in each tile of the file's layout, the fullest first."""
    if mesh.all_tiles:
        return dict(mesh.all_tiles)
    if mesh.uvs is None:
        return {}
    tiles = _corners_of_tiles(mesh)[np.abs(mesh.uv_areas()) > 1e-12]
    # Both places of a tile as one number: to tell rows apart takes ten times as long.
    found, counts = np.unique(tiles[:, 0] * _APART + tiles[:, 1] + _APART // 2, return_counts=True)
    order = np.argsort(-counts, kind="stable")
    return {_name(int(found[i] // _APART), int(found[i] % _APART) - _APART // 2): int(counts[i]) for i in order}


def in_tile(mesh: Mesh, tile: str) -> Mesh:
    """The mesh of a file laid out so that a tile of its layout, or all of them by WRAP, is the first one.

    '' leaves it as it is. Faces of other tiles are put aside, all corners at ASIDE, and cover no texel. Raises
    MeshFileError for a tile that has no face.
    """
    if not tile or mesh.uvs is None:
        return mesh
    tiles, places = tiles_of(mesh), _corners_of_tiles(mesh)
    moved = mesh.uvs.astype(np.float64)
    if tile == WRAP:
        moved[..., 0] -= places[:, None, 0]
        moved[..., 1] += places[:, None, 1]
    else:
        found = np.unique(places, axis=0)
        names = [_name(int(u), int(v)) for u, v in found]
        if tile not in names:
            raise MeshFileError(f"{mesh.name} has no face in tile {tile}. It has {', '.join(list(tiles)[:6])}.")
        place = found[names.index(tile)]
        moved[..., 0] -= place[0]
        moved[..., 1] += place[1]
        moved[(places != place).any(1)] = ASIDE
    return replace(mesh, uvs=np.ascontiguousarray(moved, np.float32), tile=tile, all_tiles=tuple(tiles.items()))


def of_groups(mesh: Mesh, groups: Sequence[str]) -> Mesh:
    """The mesh with the faces of all other material groups put aside."""
    if mesh.uvs is None:
        return mesh
    wanted = [index for index, name in enumerate(mesh.group_names) if name in groups]
    uvs = mesh.uvs.copy()
    uvs[~np.isin(mesh.groups, wanted)] = ASIDE
    return replace(mesh, uvs=uvs)


def is_aside(mesh: Mesh) -> NDArray[np.bool_]:
    """Faces that were put aside, bool (F,)."""
    assert mesh.uvs is not None
    return np.asarray((mesh.uvs == ASIDE).all((1, 2)))
