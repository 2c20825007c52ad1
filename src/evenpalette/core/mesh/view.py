"""A mesh with what is computed from it once."""

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.tiles import of_groups, tiles_of
from evenpalette.core.mesh.topology import Topology, find_topology, uv_edges
from evenpalette.core.mesh.uv_raster import face_map

#: Side of the map from texels to faces that hovering and the used area are read from.
FACE_MAP_TEXELS = 1024


class MeshView:
    """A mesh with what is computed from it once: topology, the tiles of its layout and the face under each texel."""

    def prepare(self) -> "MeshView":
        """Compute it all now, where waiting does no harm."""
        _ = self.topology, self.tiles, self.mesh.uvs is not None and self.faces_under_texels
        return self

    @property
    def is_ready(self) -> bool:
        """Whether `prepare` has been done: until then asking for it makes the caller wait."""
        made = self.__dict__
        return "topology" in made and "tiles" in made and (self.mesh.uvs is None or "faces_under_texels" in made)

    def __init__(self, mesh: Mesh, whole: "MeshView | None" = None) -> None:
        self.mesh = mesh
        self._texels: dict[tuple[int, int], Texels] = {}
        self._whole = whole
        self._parts: dict[tuple[str, ...], MeshView] = {}

    @property
    def whole(self) -> "MeshView":
        """The mesh with all its material groups."""
        return self._whole or self

    def only(self, groups: tuple[str, ...] | None) -> "MeshView":
        """The mesh on which only these material groups lie on texels; None is all of it. Faces keep their numbers."""
        whole = self.whole
        if groups is None:
            return whole
        if groups not in whole._parts:
            whole._parts[groups] = MeshView(of_groups(whole.mesh, groups), whole)
        return whole._parts[groups]

    def texels(self, shape: tuple[int, int]) -> Texels | None:
        """What lies under each texel at this (height, width); None without UVs. The last two sizes are kept."""
        if self.mesh.uvs is None:
            return None
        if shape not in self._texels:
            self._texels[shape] = Texels(self.mesh, self.topology, shape)
            for old in list(self._texels)[:-2]:
                self._texels.pop(old, None)
        return self._texels[shape]

    @cached_property
    def topology(self) -> Topology:
        return find_topology(self.mesh)

    @cached_property
    def uv_lines(self) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
        """`uv_edges` of the mesh, which has UVs."""
        return uv_edges(self.mesh)

    @cached_property
    def tiles(self) -> dict[str, int]:
        """`tiles_of` the mesh."""
        return tiles_of(self.mesh)

    @cached_property
    def faces_under_texels(self) -> NDArray[np.int32]:
        assert self.mesh.uvs is not None
        return face_map(self.mesh.uvs, FACE_MAP_TEXELS, FACE_MAP_TEXELS)
