"""Rays against triangles: Embree, through the library that embreex ships with.

embreex itself holds the interpreter while it traces. Here the library's own functions (Embree 4 API reference,
"rtcore_ray.h", "rtcore_geometry.h") are called from kernels that hold nothing, so that threads share the work and the
window stays alive.
"""

import ctypes
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import call_address, njit

#: Room for one RTCRayHit in units of 4 bytes, with as much as it may be moved to begin at a multiple of 64 bytes.
ROOM = 64
_TRIANGLE, _INDEX, _VERTEX, _UINT3, _FLOAT3, _ROBUST = 0, 0, 1, 0x5003, 0x9003, 4


@cache
def _library() -> Any:
    """Embree's functions, found through the extension module that is linked against them."""
    from embreex import rtcore_scene

    library = ctypes.CDLL(rtcore_scene.__file__)
    pointer = ctypes.c_void_p
    for name, result, arguments in (
        ("rtcNewDevice", pointer, [ctypes.c_char_p]),
        ("rtcNewScene", pointer, [pointer]),
        ("rtcSetSceneFlags", None, [pointer, ctypes.c_int]),
        ("rtcNewGeometry", pointer, [pointer, ctypes.c_int]),
        (
            "rtcSetNewGeometryBuffer",
            pointer,
            [pointer, ctypes.c_int, ctypes.c_uint, ctypes.c_int, ctypes.c_size_t, ctypes.c_size_t],
        ),
        ("rtcCommitGeometry", None, [pointer]),
        ("rtcAttachGeometry", ctypes.c_uint, [pointer, pointer]),
        ("rtcReleaseGeometry", None, [pointer]),
        ("rtcCommitScene", None, [pointer]),
        ("rtcReleaseScene", None, [pointer]),
    ):
        function = getattr(library, name)
        function.restype, function.argtypes = result, arguments
    return library


@cache
def _device() -> int:
    return int(_library().rtcNewDevice(None))


class RayScene:
    """Triangles that rays can be sent against. Kernels take `handle` and the addresses of the two
    questions."""

    def __init__(self, positions: NDArray[np.float32], faces: NDArray[np.int32]) -> None:
        """positions: float32 (V, 3). faces: int32 (F, 3); a hit names the place of one in this array."""
        library, self._library = _library(), _library()
        self.handle = int(library.rtcNewScene(_device()))
        # Exact at edges: no ray slips through between two faces.
        library.rtcSetSceneFlags(self.handle, _ROBUST)
        geometry = library.rtcNewGeometry(_device(), _TRIANGLE)
        for what, form, values in (
            (_VERTEX, _FLOAT3, np.ascontiguousarray(positions, np.float32)),
            (_INDEX, _UINT3, np.ascontiguousarray(faces, np.uint32)),
        ):
            at = library.rtcSetNewGeometryBuffer(geometry, what, 0, form, 12, len(values))
            if not at:
                raise MemoryError("no memory for rays against this mesh")
            ctypes.memmove(at, values.ctypes.data, values.nbytes)
        library.rtcCommitGeometry(geometry)
        library.rtcAttachGeometry(self.handle, geometry)
        library.rtcReleaseGeometry(geometry)
        library.rtcCommitScene(self.handle)
        self.nearest = ctypes.cast(library.rtcIntersect1, ctypes.c_void_p).value or 0
        self.any = ctypes.cast(library.rtcOccluded1, ctypes.c_void_p).value or 0

    def __del__(self) -> None:
        if getattr(self, "handle", 0):
            self._library.rtcReleaseScene(self.handle)


@njit(nogil=True, cache=True)
def ray_room():  # type: ignore[no-untyped-def]
    """Memory for one ray and its hit: float32, the same as uint32, and its address."""
    held = np.zeros(ROOM, np.float32)
    first = ((-held.ctypes.data) % 64) // 4
    ray = held[first : first + 32]
    return ray, ray.view(np.uint32), ray.ctypes.data


@njit(nogil=True, inline="always")
def is_blocked(scene, any_, ray, words, at, origin, way, near, far):  # type: ignore[no-untyped-def]
    """Whether anything lies on a ray between two distances."""
    ray[0], ray[1], ray[2], ray[3] = origin[0], origin[1], origin[2], near
    ray[4], ray[5], ray[6], ray[7] = way[0], way[1], way[2], 0.0
    ray[8] = far
    words[9], words[10], words[11] = np.uint32(0xFFFFFFFF), np.uint32(0), np.uint32(0)
    call_address(any_, scene, at, 0)
    return ray[8] < 0


@njit(nogil=True, inline="always")
def first_hit(scene, nearest, ray, words, at, origin, way, near, far):  # type: ignore[no-untyped-def]
    """The face that a ray meets first between two distances, -1 for none; ray[8] is then how far, ray[15] and ray[16]
    the shares of its second and third corner. In an RTCRayHit: origin, nearest, way, time, farthest, mask, id, flags,
    the normal from 12 on, u, v, the number of the face at 17, of the geometry at 18."""
    ray[0], ray[1], ray[2], ray[3] = origin[0], origin[1], origin[2], near
    ray[4], ray[5], ray[6], ray[7] = way[0], way[1], way[2], 0.0
    ray[8] = far
    none = np.uint32(0xFFFFFFFF)
    words[9], words[10], words[11], words[17], words[18], words[19] = none, np.uint32(0), np.uint32(0), none, none, none
    call_address(nearest, scene, at, 0)
    return -1 if words[18] == none else np.int64(words[17])
