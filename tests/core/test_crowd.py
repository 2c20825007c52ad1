"""Where copies stand and who they are: against plain counting, and numbers worked with Python's own integers."""

from collections import Counter

import numpy as np
import pytest

from evenpalette.core.crowd import APART, BESIDE, LAID, Laid, by_share, copies, kept_apart, shares
from evenpalette.core.pcg import pcg


def plain_pcg(v: int) -> int:
    """Jarzynski and Olano, JCGT 9(3), 2020, with integers that never wrap by themselves."""
    state = (v * 747796405 + 2891336453) % 2**32
    word = ((state >> ((state >> 28) + 4)) ^ state) * 277803737 % 2**32
    return (word >> 22) ^ word


def alike(laid: np.ndarray, rows: np.ndarray, step: float) -> int:
    """Pairs beside each other that are alike, by looking at every pair."""
    away = np.linalg.norm(laid[:, None].astype(float) - laid[None], axis=-1)
    near = np.triu(away <= BESIDE * step, 1)
    return int((near & (rows[:, None] == rows[None])).sum())


def test_a_hundred_thousand_numbers_are_those_of_plain_integers() -> None:
    numbers = np.arange(100_000, dtype=np.uint32)
    assert pcg(numbers).tolist() == [plain_pcg(v) for v in range(100_000)]
    chance = shares(numbers[:500], 11, 2)
    base = [plain_pcg((k + plain_pcg(11)) % 2**32) for k in range(500)]
    for plane in range(2):
        assert (chance[plane] * 2**32).tolist() == [plain_pcg((b + plane) % 2**32) for b in base]


@pytest.mark.parametrize("laid", LAID)
@pytest.mark.parametrize("kinds", [2, 3, 5, 12])
def test_never_two_alike_beside_each_other_where_that_can_be(laid: str, kinds: int) -> None:
    made = copies(700, laid, 2.0)
    weights = np.linspace(1, 3, kinds)
    rows, left = kept_apart(made["number"], made["place"], weights, 2.0)
    assert alike(made["place"], rows, 2.0) == left
    assert set(rows.tolist()) <= set(range(1, kinds + 1))
    # A grid, a row and a street can be parted with two; the crowd on the ground, where three may meet, with a few.
    if laid != "ground" or kinds >= 5:
        assert left == 0
    if kinds >= 5:
        # As often as the weights say, as nearly as keeping apart allows: the most wanted comes most.
        counts = np.bincount(rows, minlength=kinds + 1)[1:]
        assert counts.argmax() >= kinds // 2
        assert counts.min() > 0


def test_where_it_cannot_hold_it_is_said_how_often() -> None:
    made = copies(40, "grid", 1.0)
    rows, left = kept_apart(made["number"], made["place"], [1.0], 1.0)
    assert left == alike(made["place"], rows, 1.0) > 0
    rows, left = kept_apart(made["number"], made["place"], [0.0, 5.0, 0.0], 1.0)
    assert set(rows.tolist()) == {2}
    assert left > 0
    assert Laid(40, "grid", 1.0, (1.0,), rule=APART).alike == left


def test_shares_hold_by_chi_square_and_a_moved_copy_keeps_its_look() -> None:
    counts = Counter(by_share(np.arange(10_000, dtype=np.uint32), [10, 10, 20, 60]).tolist())
    wanted = {1: 1000, 2: 1000, 3: 2000, 4: 6000}
    assert sum((counts[row] - n) ** 2 / n for row, n in wanted.items()) < 16.3  # 0.1% of three degrees of freedom
    laid = Laid(60, "ground", 1.0, (1.0,) * 6, rule=APART)
    moved = laid.with_move(9, (30.0, -4.0))
    assert np.array_equal(laid.copies()["row"], moved.copies()["row"])
    assert tuple(moved.copies()["place"][9]) == (30.0, -4.0)
