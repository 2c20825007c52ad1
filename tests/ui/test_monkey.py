"""A few seeded hands on the real window, each in a process of its own; `make monkey` sends many for hours."""

import subprocess
import sys


def test_hands_that_know_nothing_break_nothing() -> None:
    """No exception, no pause over ten seconds, undo returns to the start, what is saved opens equal."""
    hands = [
        subprocess.Popen(
            [sys.executable, "-m", "tests.hostile.monkey", "--one", seed, "80"],
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
        )
        for seed in ("11", "14")
    ]  # fmt: skip
    for hand in hands:
        said, _ = hand.communicate(timeout=300)
        assert hand.returncode == 0, said[-4000:]
        assert ", 0 wrong" in said
