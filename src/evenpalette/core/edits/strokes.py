"""Strokes on a document: begun on a state, laid down dab by dab, ended as one change; and what a click fills."""

from collections.abc import Mapping
from dataclasses import replace
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.document.state import State
from evenpalette.core.edits.painting import is_paintable, locked_cover, why_not_paintable, with_painted
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.raster.box import Box
from evenpalette.core.regions.painting.brush import Brush
from evenpalette.core.regions.painting.fill import fill_mask, filled
from evenpalette.core.regions.painting.stroke import Stroke
from evenpalette.core.regions.painting.surface import PaintSurface


def _planes_of(state: State, region_id: str) -> Mapping[str, NDArray[np.uint8]]:
    """The planes that painting on a region may change: what it takes from others stays within the division."""
    paintable = {r.id for r in state.project.regions.division_of(region_id).regions if is_paintable(r)}
    return {key: plane for key, plane in state.coverages.items() if key in paintable}


class OpenStroke:
    """A stroke under way. No plane of the state that it began on is touched."""

    def __init__(self, state: State, region_id: str, brush: Brush, surface: PaintSurface | None) -> None:
        """Raises RegionError, with what to do, for a region that cannot be painted."""
        region = state.project.regions.find(region_id)
        reason = why_not_paintable(region)
        if region is None or reason:
            raise RegionError(reason)
        self._before, self._shown = state, set[str]()
        self._stroke = Stroke(_planes_of(state, region_id), region_id, brush, surface, locked_cover(state, region_id))
        #: What it will be called as a change.
        self.label = f"{'Erase from' if brush.erases else 'Paint'} {region.name}"

    @property
    def regions(self) -> set[str]:
        """The regions that it has changed so far."""
        return set(self._stroke.changed)

    def dab(self, face: int, point: NDArray[np.float64], pressure: float) -> list[Box]:
        """Lay a dab on the surface around a point (3,) of a face, or, where the face is -1, in the texture at texel
        coordinates (2,); the boxes of what changed."""
        if face >= 0:
            return self._stroke.dab_ball(face, point, pressure)
        return self._stroke.dab_flat(float(point[0]), float(point[1]), pressure)

    def newly_changed(self) -> dict[str, tuple[NDArray[np.uint8], NDArray[np.uint8]]]:
        """Regions that it has begun to change since it was asked last: the plane as it was, and its copy."""
        before, changed = self._before.coverages, self._stroke.changed
        found = {key: (before[key], changed[key]) for key in changed if key not in self._shown}
        self._shown = set(changed)
        return found

    @property
    def so_far(self) -> State:
        """The document as the stroke has made it; its changed planes go on changing."""
        coverages = {**self._before.coverages, **self._stroke.changed}
        return replace(self._before, coverages=MappingProxyType(coverages))

    def holds_for(self, state: State) -> bool:
        """Whether the coverages are those that it began on."""
        return state.coverages is self._before.coverages

    @property
    def is_empty(self) -> bool:
        """Whether nothing was laid down."""
        return not self._stroke.deposit.any()

    def ended(self, state: State) -> State:
        """The state with what was painted. Raises RegionError where the coverages have changed since it began."""
        if not self.holds_for(state):
            raise RegionError("The coverages changed during the stroke, so it was dropped. Paint it again.")
        return with_painted(state, self._stroke.changed)


def fill(state: State, region_id: str, texels: Texels, face: int, extent: str, *, erases: bool, takes: bool) -> State:
    """The state with a region filled (or emptied) as far as the face's island, shell, group, or all of the mesh goes.
    takes: from the other regions of its division. Raises RegionError for a region that cannot be painted."""
    mask = fill_mask(texels, face, extent)
    protected = locked_cover(state, region_id)
    changed = filled(_planes_of(state, region_id), region_id, mask, erases=erases, takes=takes, protected=protected)
    return with_painted(state, changed)
