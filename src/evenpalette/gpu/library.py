"""OpenGL itself, for what moderngl does not do. Calls let other threads of Python run meanwhile."""

import ctypes
from ctypes.util import find_library
from functools import cache


@cache
def library() -> ctypes.CDLL:
    """The library that hands OpenGL calls on to the context that is current on this thread."""
    return ctypes.CDLL(find_library("OpenGL") or find_library("GL") or "libGL.so.1")
