"""A few seeded hands on the real window, each in a process of its own; `make monkey` sends many for hours."""

import subprocess
import sys

import pytest


@pytest.mark.parametrize("seed", [11, 14])
def test_a_hand_that_knows_nothing_breaks_nothing(seed: int) -> None:
    """No exception, no pause over ten seconds, undo returns to the start, what is saved opens equal."""
    done = subprocess.run(
        [sys.executable, "-m", "tests.hostile.monkey", "--one", str(seed), "100"], capture_output=True, text=True, check=False, timeout=300
    )  # fmt: skip
    assert done.returncode == 0, (done.stdout + done.stderr)[-4000:]
    assert ", 0 wrong" in done.stdout
