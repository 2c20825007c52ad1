"""What every operation on a coverage says about itself."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.values import Input, ValueType

Plane = NDArray[np.float32]

#: How a made plane `b` meets the coverage `a` so far.
MEETINGS: Mapping[str, Callable[[Plane, Plane], Plane]] = {
    "replace": lambda a, b: b,
    "add": lambda a, b: np.minimum(a + b, 1),
    "subtract": lambda a, b: np.maximum(a - b, 0),
    "intersect": np.minimum,
    "multiply": lambda a, b: a * b,
    "maximum": np.maximum,
}


MEETING = Input(
    "meets", "Combine", ValueType.CHOICE, "intersect", choices=tuple(MEETINGS),
    description="How what is made here meets the coverage so far",
)  # fmt: skip


@dataclass(frozen=True)
class Around:
    """What an operation can look at besides the coverage. All planes are float32 (height, width) of 0..1.

    region: the coverage of another region by its id. channel: of a texture, by 'texture id:0..3'.
    """

    shape: tuple[int, int]
    texels: Texels | None
    region: Callable[[str], Plane]
    channel: Callable[[str], Plane]

    def mesh_texels(self, what: str) -> Texels:
        """The texels of the mesh. Raises RegionError where there is none."""
        if self.texels is None:
            raise RegionError(f"{what} needs a mesh with UVs. Bring one in at Asset.")
        return self.texels


@dataclass(frozen=True)
class OperationKind:
    """An operation: its words, its settings, and what it does to a plane.

    makes: it makes a plane of its own, which then meets the coverage so far; else it changes the coverage.
    """

    key: str
    label: str
    summary: str
    settings: tuple[Input, ...]
    run: Callable[[Plane, Mapping[str, Any], Around], Plane]
    makes: bool = False
    order: int = 100
    source: str = ""

    @property
    def all_settings(self) -> tuple[Input, ...]:
        """Its settings, with how it meets the coverage where it makes a plane."""
        return (MEETING, *self.settings) if self.makes else self.settings

    def values(self, settings: Mapping[str, Any]) -> dict[str, Any]:
        """Every setting's value: the given one in range, else the default. Raises ValueProblem."""
        return {s.key: s.accept(settings.get(s.key, s.default)) for s in self.all_settings}
