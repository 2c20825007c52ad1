"""How textures are read, in one place for the CPU, the GPU upload, the kit, operations and the fit.

Gray is red, green and blue alike; the alpha of a texture without one is 1; what is not a number is 0, what is infinite
the largest half float. Resizing averages areas down and is bilinear up, in linear light for color.
"""

import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any, Generic, Protocol, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass

#: The largest half float: no color is brighter, and no texture format of a game holds more.
BRIGHTEST = 65504.0
#: Resized planes that are kept for the next evaluation.
_MOST_BYTES = 256 << 20


def channel_index(channels: int, channel: int) -> int:
    """Which stored channel answers for red, green, blue or alpha (0..3); -1 where nothing does, and alpha is 1."""
    if channel == 3:
        return channels - 1 if channels in (2, 4) else -1
    return 0 if channels <= 2 else min(channel, channels - 1)


def sane(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """Float values with no NaN and nothing infinite; the same array where there is none."""
    if np.isfinite(values).all() and (not values.size or np.abs(values).max() <= BRIGHTEST):
        return values
    return np.clip(np.nan_to_num(values, nan=0.0, posinf=BRIGHTEST, neginf=-BRIGHTEST), -BRIGHTEST, BRIGHTEST)


def unit_values(stored: NDArray) -> NDArray[np.float32]:
    """Stored values as float32: integers scaled to 0..1, floats sane."""
    if stored.dtype.kind == "f":
        return sane(stored.astype(np.float32, copy=False))
    return stored.astype(np.float32) * np.float32(1 / np.iinfo(stored.dtype).max)


def channel_values(pixels: NDArray, channel: int, out: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
    """One channel (0 red .. 3 alpha) of pixels (..., channels) as float32 of shape (...). out: where to put it."""
    out = np.empty(pixels.shape[:-1], np.float32) if out is None else out
    index = channel_index(pixels.shape[-1], channel)
    if index < 0:
        out[...] = 1
    elif pixels.dtype == np.float32:
        out[...] = sane(pixels[..., index])
    else:
        np.multiply(pixels[..., index], np.float32(1 / np.iinfo(pixels.dtype).max), out=out, dtype=np.float32)
    return out


def resize_plane(plane: NDArray, size: tuple[int, int]) -> NDArray:
    """A plane (height, width) or (height, width, channels) at (width, height), area-averaged down, bilinear up."""
    if (plane.shape[1], plane.shape[0]) == size:
        return plane
    # What one axis loses is averaged before the other one grows: read between texels alone it would leave some out.
    smaller = min(size[0], plane.shape[1]), min(size[1], plane.shape[0])
    if smaller != (plane.shape[1], plane.shape[0]):
        plane = cv2.resize(plane, smaller, interpolation=cv2.INTER_AREA)
    return plane if smaller == size else cv2.resize(plane, size, interpolation=cv2.INTER_LINEAR)


def bilinear(plane: NDArray, x: NDArray, y: NDArray, *, repeats: tuple[bool, bool] = (True, True)) -> NDArray:
    """A plane (height, width) between its texels. x, y: in texels, 0.5 the middle of the first one. repeats: along x
    and along y; else the border goes on."""
    height, width = plane.shape
    x, y = x - 0.5, y - 0.5
    left, top = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    fx, fy = (x - left).astype(np.float32), (y - top).astype(np.float32)
    columns = [n % width if repeats[0] else np.clip(n, 0, width - 1) for n in (left, left + 1)]
    rows = [n % height if repeats[1] else np.clip(n, 0, height - 1) for n in (top, top + 1)]
    above = plane[rows[0], columns[0]] * (1 - fx) + plane[rows[0], columns[1]] * fx
    below = plane[rows[1], columns[0]] * (1 - fx) + plane[rows[1], columns[1]] * fx
    return np.asarray(above + (below - above) * fy)


class _Sized(Protocol):
    @property
    def nbytes(self) -> int: ...


T = TypeVar("T", bound=_Sized)
V = TypeVar("V")


class DerivedPictures:
    """What was made from pictures: it goes with the first of them that is gone, and the least recently used goes first.
    Held beside the evaluation, not in any state."""

    def __init__(self, most_bytes: int = _MOST_BYTES) -> None:
        self._most_bytes = most_bytes
        self._held: OrderedDict[tuple, tuple[tuple[weakref.ref[NDArray], ...], Any]] = OrderedDict()
        self._bytes = 0
        # Again from the same thread: a picture may go while this is held.
        self._guard = threading.RLock()

    def of(self, sources: Sequence[NDArray], what: object, make: Callable[[], T]) -> T:
        """See `derived`."""
        key = (*map(id, sources), what)
        with self._guard:
            known = self._held.get(key)
            # An id may have been given to another array: what is alive is asked.
            if known is not None and all(ref() is source for ref, source in zip(known[0], sources, strict=True)):
                self._held.move_to_end(key)
                return known[1]
        made = make()
        with self._guard:
            self._drop(key)
            self._held[key] = tuple(weakref.ref(source, lambda _: self._drop(key)) for source in sources), made
            self._bytes += made.nbytes
            while self._bytes > self._most_bytes and len(self._held) > 1:
                self._drop(next(iter(self._held)))
        return made

    def _drop(self, key: tuple) -> None:
        with self._guard:
            if key in self._held:
                self._bytes -= self._held.pop(key)[1].nbytes


_derived = DerivedPictures()
#: Of the work that is done here; None where it has none of its own.
_own: ContextVar[DerivedPictures | None] = ContextVar("derived", default=None)


@contextmanager
def own_derived(held: DerivedPictures) -> Iterator[None]:
    """Work that is begun inside remembers what it derives in here, and nothing of anybody else's."""
    token = _own.set(held)
    try:
        yield
    finally:
        _own.reset(token)


def derived(sources: Sequence[NDArray], what: object, make: Callable[[], T]) -> T:
    """What `make` gives for these pixels, a picture of a size or a chain; remembered for a while. what: all else that
    it depends on. What is made must not hold the pixels that it is made from."""
    return (_own.get() or _derived).of(sources, what, make)


@dataclass(frozen=True, eq=False)
class _Found(Generic[V]):
    """What was found out of pictures, where that is no picture."""

    value: V

    @property
    def nbytes(self) -> int:
        held = self.value.values() if isinstance(self.value, dict) else (self.value,)
        return 64 + sum(getattr(one, "nbytes", 0) for one in held)


def found_in(sources: Sequence[NDArray], what: object, find: Callable[[], V]) -> V:
    """`derived` for what is no picture: an answer, a digest, several pictures by name."""
    return derived(sources, what, lambda: _Found(find())).value


def plane_at(plane: NDArray, size: tuple[int, int]) -> NDArray:
    """`resize_plane`, remembered for a while."""
    if (plane.shape[1], plane.shape[0]) == size:
        return plane
    return derived((plane,), size, lambda: resize_plane(plane, size))
