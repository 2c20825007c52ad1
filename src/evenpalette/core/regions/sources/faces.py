"""Faces: coverage baked from a set of faces of the mesh."""

from collections.abc import Iterable, Sequence
from typing import Annotated, ClassVar, Literal, Protocol

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from evenpalette.core.regions.dividing.bake import bake_faces
from evenpalette.core.regions.dividing.face_runs import face_labels
from evenpalette.core.regions.source import Plane, Source, SourceInputs, SourceKind

#: A face of a mesh, or a number of them.
_FaceCount = Annotated[int, Field(ge=0, le=1 << 31)]


class FacesSource(Source):
    """A set of faces, as runs of (first face, count) in the order of the mesh file."""

    of_faces: ClassVar[bool] = True
    kind: Literal["faces"] = "faces"
    runs: tuple[tuple[_FaceCount, _FaceCount], ...] = ()


class HasSource(Protocol):
    """A region."""

    @property
    def source(self) -> Source:
        """Where it comes from."""


def face_sources(regions: Iterable[HasSource]) -> list[FacesSource]:
    """The sources of the regions that are made of faces, in order."""
    return [region.source for region in regions if isinstance(region.source, FacesSource)]


def labels_of(regions: Iterable[HasSource], face_count: int) -> NDArray[np.int32]:
    """Which of the face regions each face belongs to, int32 (F,), -1 for none; later regions win."""
    return face_labels([source.runs for source in face_sources(regions)], face_count)


def unassigned(regions: Iterable[HasSource], face_count: int) -> NDArray[np.bool_]:
    """Faces that no face region has, bool (F,)."""
    return labels_of(regions, face_count) < 0


def planes(sources: Sequence[FacesSource], around: SourceInputs) -> list[Plane]:
    """All that are of one division, drawn together so that they share edge texels."""
    mesh, bake = around.needed_mesh().mesh, around.bake
    labels = face_labels([source.runs for source in sources], mesh.face_count)
    baked = bake_faces(
        mesh, labels, len(sources), size=bake.size, samples=bake.samples, padding_texels=bake.padding_texels
    )
    return list(baked.coverages)


SOURCE = SourceKind(
    "faces", "Faces", FacesSource, planes,
    lambda source, _: f"{sum(count for _, count in source.runs):,} faces of the mesh",
    together=lambda _: "faces", order=10,
)  # fmt: skip
