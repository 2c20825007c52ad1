"""What every source of a region says about itself: what the document keeps of it, and how its planes are made."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.view import MeshView
from evenpalette.core.raster.raster import Raster
from evenpalette.core.stored import Stored

#: A coverage as it is kept, uint8 (height, width).
Plane = NDArray[np.uint8]


class BakeSettings(Stored):
    """How face regions are drawn into UV space. samples: 0 is exact area, else points a texel."""

    size: int = Field(1024, ge=16, le=8192)
    samples: Literal[0, 1, 16, 64] = 16
    padding_texels: int = Field(16, ge=0, le=8192)


class Source(Stored):
    """What the document keeps about where a region comes from; each kind adds what it reads.

    of_faces: it is a set of faces of the mesh. keeps_texels: its texels lie beside the project file and can be painted.
    """

    of_faces: ClassVar[bool] = False
    keeps_texels: ClassVar[bool] = False
    kind: str

    @property
    def reads(self) -> str:
        """The id of the texture that it is read from, or ''."""
        return str(getattr(self, "texture", ""))

    @property
    def part_of(self) -> str:
        """The id of the region that it is split from, or ''; that region is without it."""
        return ""


@dataclass(frozen=True)
class SourceInputs:
    """What sources are made from. textures: by id. bake: how faces are drawn."""

    textures: Mapping[str, Raster]
    mesh: MeshView | None
    bake: BakeSettings

    def needed_mesh(self) -> MeshView:
        """The mesh. Raises RegionError where there is none."""
        if self.mesh is None:
            raise RegionError("The regions made of faces need the mesh. Bring it in at Asset.")
        return self.mesh


def _alone(_: Any) -> None:
    return None


@dataclass(frozen=True)
class SourceKind:
    """A source. A file in `regions/sources` that defines SOURCE is one.

    model: what the document keeps. planes: a plane for each of several that are made together (None where what was
    made last stays: what keeps its texels). together: what sources of one division have alike that are made together,
    None for one made alone. said: where it comes from, in words; given its source and what things are called by id.
    """

    key: str
    label: str
    model: type[Source]
    planes: Callable[[Sequence[Any], SourceInputs], Sequence[Plane]] | None
    said: Callable[[Any, Callable[[str], str]], str]
    together: Callable[[Any], object] = _alone
    order: int = 100
