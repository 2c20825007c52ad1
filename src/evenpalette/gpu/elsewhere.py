"""Where OpenGL works besides the thread that draws."""

from collections.abc import Callable
from concurrent.futures import Future
from typing import Protocol, TypeVar

T = TypeVar("T")


class Elsewhere(Protocol):
    """Does work on a thread with a context that shares its textures with the one that draws."""

    def __call__(self, work: Callable[[], T]) -> "Future[T]": ...
