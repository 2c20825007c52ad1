"""Normals of a finer mesh, for a coarser one to wear."""

from collections.abc import Iterator, Mapping
from typing import Any

from evenpalette.core.baking.frames import in_tangent_space
from evenpalette.core.baking.kind import Around, BakeKind, known
from evenpalette.core.baking.openness import Estimate


def make(around: Around, _: Mapping[str, Any]) -> Iterator[Estimate]:
    """The finer mesh's normals in the tangent space of the coarser one, green up."""
    return known(in_tangent_space(around.low, around.points.normals()) * 0.5 + 0.5)


BAKE = BakeKind(
    "normal", "Normals of a finer mesh", "A normal map that has a coarse mesh look like a fine one",
    (), make, channels=3, role="normal", needs_finer=True, order=90,
    source="tangent space by M. S. Mikkelsen 2008 (MikkTSpace), glTF 2.0: green up", words="high low poly detail",
)  # fmt: skip
