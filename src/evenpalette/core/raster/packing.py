"""Planes that belong together, four to a texture: which plane lies in which channel of which one."""

from collections.abc import Sequence
from typing import NamedTuple, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

T = TypeVar("T")
#: Planes to a texture.
PER_TEXTURE = 4
#: Channels that a file has for so many planes: no common format of a game has two.
_STORED = {1: 1, 2: 3, 3: 3, 4: 4}


class Slot(NamedTuple):
    """The place of a plane: the number of its texture and of the channel there (0 red .. 3 alpha)."""

    texture: int
    channel: int

    @property
    def letter(self) -> str:
        """The channel as shaders name it."""
        return "rgba"[self.channel]


def slot(plane: int) -> Slot:
    """Where a plane lies, by its number from 0."""
    return Slot(*divmod(plane, PER_TEXTURE))


def texture_count(planes: int) -> int:
    """How many textures so many planes take."""
    return -(-planes // PER_TEXTURE)


def grouped(planes: Sequence[T]) -> list[Sequence[T]]:
    """What lies in each texture, in order."""
    return [planes[start : start + PER_TEXTURE] for start in range(0, len(planes), PER_TEXTURE)]


def packed(planes: Sequence[NDArray[np.uint8]]) -> NDArray[np.uint8]:
    """One to four planes (height, width) as RGBA; missing ones are 0."""
    four = [*planes, *([np.zeros_like(planes[0])] * (PER_TEXTURE - len(planes)))]
    return np.asarray(cv2.merge(four), np.uint8)


def stored(planes: Sequence[NDArray[np.uint8]]) -> NDArray[np.uint8]:
    """One to four planes as a file holds them: gray for one, RGB for two (blue is 0) and three, and only for four an
    alpha, which a loader might multiply into the others."""
    return np.ascontiguousarray(packed(planes)[..., : _STORED[len(planes)]])
