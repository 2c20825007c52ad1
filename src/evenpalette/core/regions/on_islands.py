"""Operations that look at neighbors must not look across the gutter onto another island."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.mesh.texels import Texels
from evenpalette.core.regions.operation_kind import Plane


def on_each_island(
    plane: Plane,
    texels: Texels | None,
    reach: int,
    work: Callable[[Plane, NDArray[np.bool_] | None], Plane],
) -> Plane:
    """Run `work(values, inside)` on a window around each island and keep what it gives inside; whole without a mesh.

    reach: how many texels around the island `work` looks at.
    """
    if texels is None:
        return work(plane, None)
    out = plane.copy()
    height, width = plane.shape
    for island, (rows, columns) in texels.island_windows:
        window = (
            slice(max(0, rows.start - reach), min(height, rows.stop + reach)),
            slice(max(0, columns.start - reach), min(width, columns.stop + reach)),
        )
        inside = texels.islands[window] == island
        # Rows of C order: OpenCV takes no views.
        result = work(np.ascontiguousarray(plane[window]), inside)
        out[window][inside] = result[inside]
    return out
