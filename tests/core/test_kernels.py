"""Kernels that are compiled when they are first called."""

import threading

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
