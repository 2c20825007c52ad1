"""A few seeded hands on the real window, each in a process of its own; `make monkey` sends many for hours."""

import subprocess
import sys


def test_hands_that_know_nothing_break_nothing() -> None:
    """No exception, no pause over ten seconds, undo returns to the start, what is saved opens equal."""
    for seed in ("11", "14"):
        # One after the other: on one display they would take each other's focus and clipboard.
        done = subprocess.run(
            [sys.executable, "-m", "tests.hostile.monkey", "--one", seed, "50"],
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False, timeout=320,
        )  # fmt: skip
        assert done.returncode == 0, done.stdout[-4000:]
        assert ", 0 wrong" in done.stdout
