"""What every kind of bake says about itself."""

from collections.abc import Callable, Iterator, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.baking.openness import Estimate
from evenpalette.core.baking.points import Points
from evenpalette.core.baking.tracing import Traced
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import MeshFileError
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.parallel import Progress
from evenpalette.core.values import Input, ValueType

RAYS = Input(
    "rays", "Rays", ValueType.INTEGER, 64, 4, 4096, description="Of each texel; more have less noise and take longer"
)
REACH = Input(
    "reach", "Reach", ValueType.NUMBER, 0.25, 0.0, 4.0, description="As a share of the model's size; 0 has no end"
)  # fmt: skip
AXIS = Input("axis", "Axis", ValueType.CHOICE, "Y", choices=("X", "Y", "Z"))
CASTERS = Input(
    "casters", "What hides", ValueType.CHOICE, "Everything", choices=("Everything", "Its own piece", "Its own material group"),
    description="What may stand in a ray's way",
)  # fmt: skip
AXES = Input(
    "axes", "In the axes of", ValueType.CHOICE, "The surface's", choices=("The surface's", "The model's"),
    description="A normal map in tangent space, or directions on the model as they are",
)  # fmt: skip
GROUND = Input(
    "ground", "A ground", ValueType.SWITCH, False, description="A floor without end under the model hides too"
)


@dataclass(frozen=True, eq=False)
class Around:
    """What a bake can look at.

    texels, low: the map that is made, and its places on the mesh. points, traced: the places on what is looked at, the
    mesh itself or a finer one, in the same order as `low`, which then has only those that were found. target: bool (F,)
    or None, the faces that a distance is measured to.
    """

    texels: Texels
    low: Points
    points: Points
    traced: Traced
    target: NDArray[np.bool_] | None
    progress: Progress

    @property
    def mesh(self) -> Mesh:
        """What is looked at."""
        return self.traced.mesh

    @property
    def size(self) -> float:
        """The length across the box around what is looked at."""
        low, high = self.mesh.bounds
        return max(float(np.linalg.norm(high - low)), 1e-20)

    @property
    def has_finer(self) -> bool:
        """Whether another mesh is looked at than the one that is laid out."""
        return self.points is not self.low


@dataclass(frozen=True)
class BakeKind:
    """A kind of bake: its words, its settings, and what it makes.

    make: values of the places, float32 (n, channels) of 0..1 as they are stored, once, or again and again nearer to the
    truth. role: what the texture holds. bits: that it is stored
    with. traced: rays make it, so it may have noise. finer: whether it can look at a
    finer mesh, and whether it must. words: what people say when they
    look for it: common practice, no source.
    """

    key: str
    label: str
    summary: str
    settings: tuple[Input, ...]
    make: Callable[[Around, Mapping[str, Any]], Iterator[Estimate]]
    channels: int = 1
    role: str = "other data"
    bits: int = 8
    traced: bool = False
    finer: bool = True
    needs_finer: bool = False
    order: int = 100
    source: str = ""
    words: str = ""

    def values(self, settings: Mapping[str, Any]) -> dict[str, Any]:
        """Every setting's value: the given one in range, else the default. Raises ValueProblem."""
        return {s.key: s.accept(settings.get(s.key, s.default)) for s in self.settings}

    def check(self, *, has_finer: bool) -> None:
        """Raise MeshFileError where a mesh is missing."""
        if self.needs_finer and not has_finer:
            raise MeshFileError(f"{self.label}: name the finer mesh.", flag="--from-mesh FILE.")


def known(values: NDArray) -> Iterator[Estimate]:
    """What is not gathered, but known at once: (n,) or (n, channels)."""
    plane = values if values.ndim == 2 else values[:, None]
    yield Estimate(0, np.ascontiguousarray(plane, np.float32), np.zeros(len(plane), np.float32))
