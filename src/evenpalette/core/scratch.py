"""Arrays that a thread uses again and again: fresh ones of this size cost more than what is computed in them."""

import math
import threading
from functools import lru_cache

import numpy as np
from numpy.typing import DTypeLike, NDArray

_held = threading.local()


def scratch(name: str, shape: tuple[int, ...], dtype: DTypeLike = np.float32) -> NDArray:
    """An array with any content, the thread's own; the next call with this name may give the same memory."""
    arrays: dict[str, NDArray] = _held.__dict__.setdefault("arrays", {})
    size = math.prod(shape)
    held = arrays.get(name)
    if held is None or held.size < size or held.dtype != dtype:
        held = arrays[name] = np.empty(size, dtype)
    return held[:size].reshape(shape)


@lru_cache(maxsize=32)
def filled(size: int, value: float) -> NDArray[np.float32]:
    """A float32 array (size,) of one value, not to be written to."""
    made = np.full(size, value, np.float32)
    made.setflags(write=False)
    return made
