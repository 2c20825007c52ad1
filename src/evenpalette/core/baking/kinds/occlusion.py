"""Occlusion: how open to the sky the surface lies."""

from collections.abc import Iterator, Mapping
from typing import Any

from evenpalette.core.baking.kind import CASTERS, GROUND, RAYS, REACH, Around, BakeKind
from evenpalette.core.baking.openness import Estimate, openness


def make(around: Around, values: Mapping[str, Any]) -> Iterator[Estimate]:
    """The open share of the cosine-weighted half space, 1 in the open."""
    reach = float(values["reach"]) * around.size
    return openness(around.points, around.traced, rays=int(values["rays"]), reach=reach, progress=around.progress)


BAKE = BakeKind(
    "occlusion", "Occlusion", "How open to the sky the surface lies: white in the open, dark in corners",
    (RAYS, REACH, CASTERS, GROUND), make, role="occlusion", traced=True, order=10,
    source="cosine-weighted visibility: a form factor to the sky (radiosity, from memory); that it fades to the end of the reach is common practice",
    words="ao ambient cavity dirt dark corners sky",
)  # fmt: skip
