"""Pieces by runs against SciPy's labels, and specks and strips of one texel."""

import numpy as np
import pytest
from scipy import ndimage

from evenpalette.core.regions.checks.pieces import find_pieces
from evenpalette.core.regions.checks.specks import thin_strips


@pytest.mark.parametrize(
    ("shape", "count"), [((1, 9), 2), ((9, 1), 2), ((40, 57), 2), ((40, 57), 3), ((64, 64), 9), ((3, 200), 2)]
)
def test_pieces_are_those_that_scipy_finds(shape: tuple[int, int], count: int) -> None:
    for seed in range(30):
        labels = np.random.default_rng(seed).integers(-1, count - 1, shape).astype(np.int16)
        pieces = find_pieces(labels)
        found = np.full(shape, -1, np.int64)
        for i in range(len(pieces.rows)):
            found[pieces.rows[i], pieces.begins[i] : pieces.ends[i]] = pieces.piece[i]
            assert (labels[pieces.rows[i], pieces.begins[i] : pieces.ends[i]] == pieces.values[i]).all()
        assert (found >= 0).all()
        for value in np.unique(labels):
            expected, number = ndimage.label(labels == value, np.ones((3, 3)))
            for n in range(1, number + 1):
                here = expected == n
                assert len(np.unique(found[here])) == 1
                assert pieces.areas[found[here][0]] == here.sum()
            assert len(np.unique(found[labels == value])) == number


def test_small_pieces_are_listed_whole() -> None:
    labels = np.zeros((20, 20), np.int16)
    labels[3:5, 3:5], labels[10, 2:19], labels[15, 15] = 1, 1, 2
    pieces = find_pieces(labels)
    assert sorted(int((pieces.ends - pieces.begins)[runs].sum()) for runs in pieces.small(16)) == [1, 4]
    mask = np.zeros((20, 20), bool)
    for runs in pieces.small(5):
        pieces.paint(runs, mask)
    assert mask.sum() == 5


def test_strips_are_where_no_square_of_two_texels_fits() -> None:
    """By SciPy's opening with a square of two by two, the border counted as covered."""
    for seed in range(20):
        rng = np.random.default_rng(seed)
        owner = ndimage.zoom(rng.integers(-1, 3, (12, 12)), 3, order=0).astype(np.int16)
        owner[rng.integers(0, 36, 40), rng.integers(0, 36, 40)] = rng.integers(-1, 3, 40)
        owner[17, 4:30], owner[5:30, 9] = 1, 2
        used = rng.random(owner.shape) > 0.02
        found = thin_strips(owner, used)
        for index in range(3):
            padded = np.pad(owner == index, 1, constant_values=True)
            opened = ndimage.binary_opening(padded, np.ones((2, 2)))[1:-1, 1:-1]
            thin = (owner == index) & ~opened & used
            labels, number = ndimage.label(thin, np.ones((3, 3)))
            sizes = ndimage.sum_labels(thin, labels, range(number + 1))
            assert np.array_equal(found == index, thin & (sizes[labels] >= 6))
