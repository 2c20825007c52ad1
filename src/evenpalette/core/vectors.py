"""Vectors in arrays."""

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

F = TypeVar("F", bound=np.floating)


def unit(vectors: NDArray[F]) -> NDArray[F]:
    """Vectors (..., n) of float32 or float64 made unit; what is no longer than 1e-20 becomes zero."""
    length = np.linalg.norm(vectors, axis=-1, keepdims=True)
    return np.asarray(np.divide(vectors, length, out=np.zeros_like(vectors), where=length > 1e-20))
