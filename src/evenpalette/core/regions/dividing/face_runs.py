"""Sets of faces as the document stores them: runs of (first face, count)."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.regions.model import FacesSource, Region


def to_runs(chosen: NDArray[np.bool_]) -> tuple[tuple[int, int], ...]:
    """A selection, bool (F,), as runs."""
    padded = np.concatenate([[False], chosen, [False]]).astype(np.int8)
    starts, stops = np.flatnonzero(np.diff(padded) == 1), np.flatnonzero(np.diff(padded) == -1)
    return tuple((int(a), int(b - a)) for a, b in zip(starts, stops, strict=True))


def from_runs(runs: Sequence[tuple[int, int]], face_count: int) -> NDArray[np.bool_]:
    """Runs as a selection; parts beyond the mesh are left out."""
    chosen = np.zeros(face_count, bool)
    for first, count in runs:
        chosen[max(0, first) : max(0, first + count)] = True
    return chosen


def face_labels(sources: Sequence[FacesSource], face_count: int) -> NDArray[np.int32]:
    """Which source each face belongs to, int32 (F,), -1 for none; later sources win."""
    labels = np.full(face_count, -1, np.int32)
    for index, source in enumerate(sources):
        labels[from_runs(source.runs, face_count)] = index
    return labels


def unassigned(regions: Sequence[Region], face_count: int) -> NDArray[np.bool_]:
    """Faces that no face region has, bool (F,)."""
    return face_labels([r.source for r in regions if isinstance(r.source, FacesSource)], face_count) < 0
