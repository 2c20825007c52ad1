"""What identifies an array: of equal ones it is equal."""

import hashlib
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.raster.reading import derived


@dataclass(frozen=True)
class _Digest:
    """Of an array's shape, dtype and content."""

    content: bytes
    nbytes: int = 32


def digest(array: NDArray) -> bytes:
    """A hash of an array's shape, dtype and content, 32 bytes; remembered for a while."""

    def make() -> _Digest:
        held = hashlib.blake2b(f"{array.shape} {array.dtype.str}".encode(), digest_size=32)
        held.update(np.ascontiguousarray(array).reshape(-1).view(np.uint8).data)
        return _Digest(held.digest())

    return derived((array,), "digest", make).content
