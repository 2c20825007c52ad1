"""A document as findings look at it: what several of them need is found once, when the first asks."""

from collections.abc import Iterator
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.consent import MayRead, nothing
from evenpalette.core.document.project import Project
from evenpalette.core.document.state import State
from evenpalette.core.edits.face_sets import face_region_labels
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.regions.checks.gaps import Held, held_by, spot
from evenpalette.core.regions.checks.specks import SMALLEST_TEXELS, find_specks
from evenpalette.core.regions.owners import owners
from evenpalette.core.regions.region_set import Division

#: More pieces than this are a grain that was painted or made on purpose: common practice, no source.
_GRAIN = 200
#: Texels of different regions that may share a place before it is said: common practice, no source.
_FEW_SHARED = 4


class Inspection:
    """A state, and what is found out about it. may_read: which of the files that it names may be looked into."""

    def __init__(self, state: State, may_read: MayRead = nothing) -> None:
        self.state, self.may_read = state, may_read

    @property
    def project(self) -> Project:
        """The project."""
        return self.state.project

    @cached_property
    def divisions(self) -> tuple["DivisionInspection", ...]:
        """Every division with regions."""
        return tuple(DivisionInspection(self.state, d) for d in self.project.regions.divisions if d.regions)

    @property
    def whole_divisions(self) -> Iterator["DivisionInspection"]:
        """Those whose regions all have a coverage."""
        return (d for d in self.divisions if len(d.planes) == len(d.division.regions))


class DivisionInspection:
    """A division, and what its texels are."""

    def __init__(self, state: State, division: Division) -> None:
        self.state, self.division = state, division
        held = ((region.id, state.coverages.get(region.id)) for region in division.regions)
        #: Coverages, uint8 (h, w), by region, of the regions that have one.
        self.planes = {region: plane for region, plane in held if plane is not None}

    @property
    def called(self) -> str:
        """' of its name' where the asset has several divisions, else nothing."""
        return f" of {self.division.name}" if len(self.state.project.regions.divisions) > 1 else ""

    @cached_property
    def held(self) -> Held:
        """What the coverages hold over used texels."""
        return held_by(self.planes, self.state.used)

    @cached_property
    def inside(self) -> NDArray[np.bool_]:
        """Used texels with used ones all around them, bool (h, w)."""
        eroded = cv2.erode(self.state.used.view(np.uint8), np.ones((3, 3), np.uint8), borderValue=0)
        return eroded.view(np.bool_)

    @cached_property
    def texels(self) -> Texels | None:
        """The mesh laid out on the texels of the coverages."""
        height, width = next(iter(self.planes.values())).shape
        return self.state.mesh.texels((height, width)) if self.state.mesh is not None else None

    @cached_property
    def used(self) -> NDArray[np.bool_]:
        """Texels whose middle lies on a face, bool (h, w)."""
        texels = self.texels
        if texels is None:
            return np.ones(next(iter(self.planes.values())).shape, bool)
        return texels.keep("used", lambda: texels.faces >= 0)

    @cached_property
    def owner(self) -> NDArray[np.int16]:
        """The number of the region that holds most of each texel, -1 where none does, (h, w)."""
        planes = list(self.planes.values())
        owner = owners(planes, 1)
        # Where three regions meet softly none has half of the texel, and still it is not empty.
        owner[held_by({str(n): plane for n, plane in enumerate(planes)}, self.used).total < 128] = -1
        return owner

    @cached_property
    def specks(self) -> NDArray[np.bool_]:
        """Texels of pieces that are too small to be meant, bool (h, w)."""
        return find_specks(self.owner, self.used, SMALLEST_TEXELS)

    @cached_property
    def is_grainy(self) -> bool:
        """Whether it has so many small pieces that they must be meant."""
        return bool(self.specks.any()) and spot(self.specks)[1] > _GRAIN

    @cached_property
    def face_labels(self) -> NDArray[np.int32]:
        """The number of the region of each face, -1 for none, (F,)."""
        return face_region_labels(self.state, self.division)

    @cached_property
    def shared(self) -> NDArray[np.bool_] | None:
        """Texels under faces of different regions, bool (h, w), where there are more than a few; None where not."""
        if self.texels is None or not (self.face_labels >= 0).any():
            return None
        shared = self.texels.shared_by_labels(self.face_labels)
        return shared if shared is not None and int(shared.sum()) > _FEW_SHARED else None
