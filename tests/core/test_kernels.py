"""Kernels that are compiled when they are first called."""

import subprocess
import sys
import threading
from pathlib import Path

import numpy as np

from evenpalette.core.kernels import Kernel, njit, prange


@njit(nogil=True)
def _doubled(value):  # type: ignore[no-untyped-def]
    return value * 2


@njit(nogil=True, parallel=True)
def _sum_of_doubles(values):  # type: ignore[no-untyped-def]
    total = 0.0
    for i in prange(values.size):
        total += _doubled(values[i])
    return total


def test_a_kernel_and_those_it_calls_are_compiled_at_the_first_call_from_many_threads() -> None:
    kernel = _sum_of_doubles
    assert isinstance(kernel, Kernel)
    found = []
    threads = [threading.Thread(target=lambda: found.append(kernel(np.arange(1000.0)))) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert found == [999000.0] * 4
    # What the module calls by name is the compiled one from now on.
    assert not isinstance(_doubled, Kernel)
    assert _doubled(21) == 42


def test_a_kernel_kept_on_disk_is_made_anew_when_one_that_it_calls_has_changed(tmp_path: Path) -> None:
    """In processes of their own, as one start follows another. numba itself looks at the file of the caller alone."""
    head = "from evenpalette.core.kernels import njit\n\n\n"
    inner = head + '@njit(nogil=True, inline="always")\ndef scaled(value):\n    return value * {factor}\n'
    (tmp_path / "middle.py").write_text(
        head
        + "from inner import scaled\n\n\n@njit(nogil=True, cache=True)\ndef once(value):\n    return scaled(value) + 1\n"
    )
    (tmp_path / "outer.py").write_text(
        head
        + "from middle import once\n\n\n@njit(nogil=True, cache=True)\ndef twice(value):\n    return once(once(value))\n"
    )

    def run() -> str:
        code = "import outer; print(outer.twice(5.0)); s = outer.twice.stats; print(sum(s.cache_hits.values()))"
        made = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True, check=True)
        return made.stdout

    (tmp_path / "inner.py").write_text(inner.format(factor=2.0))
    assert run() == "23.0\n0\n"
    assert run() == "23.0\n1\n", "kept on disk"
    (tmp_path / "inner.py").write_text(inner.format(factor=3.0))
    assert run() == "49.0\n0\n", "3 (3 * 5 + 1) + 1"
