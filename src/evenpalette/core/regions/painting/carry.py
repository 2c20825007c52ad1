"""Carrying paint over a UV seam where it ends on one side only."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.regions.checks.seams import SeamSamples
from evenpalette.core.regions.painting.brush import Brush
from evenpalette.core.regions.painting.stroke import Stroke
from evenpalette.core.regions.painting.surface import PaintSurface

#: Full over a texel or two on the other side, then soft.
_BRUSH = Brush(radius=6.0, hardness=0.5, turns=False)


def carried_over(
    planes: Mapping[str, NDArray[np.uint8]], region: str, surface: PaintSurface, samples: SeamSamples,
    protected: NDArray[np.uint8] | None = None,
) -> dict[str, NDArray[np.uint8]]:  # fmt: skip
    """Changed planes, uint8 (h, w), after a soft ball was laid wherever a region is lost at a seam.

    planes: the painted ones by region id; others lose what the region gets. Between two samples that are both lost the
    dabs follow closely.
    """
    _, bad, _ = samples.lost(planes[region])
    faces = samples.fuller_faces(planes[region])
    stroke = Stroke(planes, region, _BRUSH, surface, protected)
    step = _BRUSH.radius * surface.units_per_texel / 2
    for row in np.flatnonzero(bad.any(1)):
        places = samples.points[row]
        gaps = np.linalg.norm(np.diff(places, axis=0), axis=1)
        for column in np.flatnonzero(bad[row]):
            goes_on = column + 1 < len(places) and bad[row, column + 1]
            count = int(np.ceil(gaps[column] / max(step, 1e-12))) if goes_on else 1
            for share in np.arange(count) / count:
                after = places[column + 1] if goes_on else places[column]
                stroke.dab_ball(int(faces[row, column]), places[column] + (after - places[column]) * share)
    return stroke.changed
