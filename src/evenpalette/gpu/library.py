"""OpenGL itself, for what moderngl does not do. Calls let other threads of Python run meanwhile."""

import ctypes
from functools import cache


@cache
def library() -> ctypes.CDLL:
    """The library that hands OpenGL calls on to the context that is current on this thread."""
    try:
        return ctypes.CDLL("libOpenGL.so.0")
    except OSError:
        return ctypes.CDLL("libGL.so.1")
