"""Sets of faces as the document stores them: runs of (first face, count)."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray


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


def face_labels(runs: Sequence[Sequence[tuple[int, int]]], face_count: int) -> NDArray[np.int32]:
    """Which of several sets of runs each face belongs to, int32 (F,), -1 for none; later sets win."""
    labels = np.full(face_count, -1, np.int32)
    for index, held in enumerate(runs):
        labels[from_runs(held, face_count)] = index
    return labels
