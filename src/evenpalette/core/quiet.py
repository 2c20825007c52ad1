"""Keeping libraries from writing to standard error: what they find wrong with a file, we say in our own words."""

import contextlib
import os
import threading
from collections.abc import Iterator

_guard = threading.Lock()
_inside = 0
_kept = -1


@contextlib.contextmanager
def quiet_libraries() -> Iterator[None]:
    """Nothing reaches the process's standard error while any thread is in here."""
    global _inside, _kept
    with _guard:
        _inside += 1
        if _inside == 1:
            try:
                _kept = os.dup(2)
                nowhere = os.open(os.devnull, os.O_WRONLY | os.O_CLOEXEC)
                os.dup2(nowhere, 2)
                os.close(nowhere)
            except OSError:  # there is no standard error
                _kept = -1
    try:
        yield
    finally:
        with _guard:
            _inside -= 1
            if _inside == 0 and _kept >= 0:
                os.dup2(_kept, 2)
                os.close(_kept)
                _kept = -1
