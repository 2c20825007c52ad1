"""Textures that are computed: noise for a drift, gradients along the model; by what makes planes for coverages."""

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture
from evenpalette.core.errors import EvenPaletteError, RegionError
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.regions.operation_kind import Around
from evenpalette.core.regions.operations import operation_kind
from evenpalette.core.regions.operations.noise import tileable_noise

SIZES = (256, 512, 1024, 2048)


@dataclass(frozen=True)
class Making:
    """A texture that can be made: its file's name, what it holds, and how it is made at a size."""

    file: str
    role: Role
    make: Callable[[State, int], Raster]
    needs_mesh: bool = True


def even_noise(size: int, cells: int = 6, seed: int = 1) -> Raster:
    """Three channels of slow noise that know nothing of each other, each value as frequent as any: what Drift reads.

    8-bit data (size, size, 3), tileable. By rank, so that the mean is the middle exactly.
    """
    planes = []
    for channel in range(3):
        plane = tileable_noise((size, size), cells, 3, 0.5, seed * 3 + channel)
        rank = np.empty(plane.size, np.float64)
        rank[np.argsort(plane.reshape(-1), kind="stable")] = np.arange(plane.size)
        planes.append(np.rint((rank + 0.5) / plane.size * 255).astype(np.uint8).reshape(plane.shape))
    return Raster(np.ascontiguousarray(np.stack(planes, -1)), Encoding.DATA)


def _plane(kind: str, settings: Mapping[str, object]) -> Callable[[State, int], Raster]:
    def make(state: State, size: int) -> Raster:
        if state.mesh is None or state.mesh.mesh.uvs is None:
            raise RegionError("That needs a mesh with UVs. Bring one in at Asset.")
        texels = Texels(state.mesh.mesh, state.mesh.topology, (size, size))

        def nothing(_: str) -> NDArray[np.float32]:
            raise RegionError("There is nothing to read here.")

        made = operation_kind(kind)
        plane = made.run(
            np.zeros((size, size), np.float32), made.values(settings), Around((size, size), texels, nothing, nothing)
        )
        codes = np.rint(np.clip(texels.fill_gutter(plane), 0, 1) * 65535).astype(np.uint16)
        return Raster(codes[..., None], Encoding.DATA)

    return make


#: What can be made, by what it is called.
MADE: dict[str, Making] = {
    "Noise for a drift": Making("drift-noise.png", Role.DATA, lambda _, size: even_noise(size), needs_mesh=False),
    "Gradient, bottom to top": Making("bottom-to-top.png", Role.DATA, _plane("axis", {"axis": "Y"})),
    "Gradient, left to right": Making("left-to-right.png", Role.DATA, _plane("axis", {"axis": "X"})),
    "Gradient, back to front": Making("back-to-front.png", Role.DATA, _plane("axis", {"axis": "Z"})),
    "Root to tip of every island": Making("root-to-tip.png", Role.DATA, _plane("root_tip", {})),
}


def add_made(state: State, what: str, size: int = 1024) -> State:
    """Add a texture of MADE, size x size texels. Raises EvenPaletteError."""
    if what not in MADE:
        raise EvenPaletteError(f"'{what}' cannot be made. There are: {', '.join(MADE)}.")
    recipe = MADE[what]
    return add_texture(state, recipe.make(state, size), recipe.file, recipe.role)
