"""What each pixel of the model shows, kept between frames until the camera, the size or the mesh changes."""

from collections.abc import Callable
from typing import TypeVar, cast

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.gpu.bloom import Bloom

T = TypeVar("T")


class SurfaceBuffer:
    """(u, v), their slopes, the face, and the frame in which light is met, for every pixel of one view of the model.

    Shading each pixel once from here, instead of every small triangle, is what keeps software OpenGL fluent.
    """

    def __init__(self, ctx: moderngl.Context, size: tuple[int, int]) -> None:
        self.size = size
        self.key: object = None
        self.surface = ctx.texture(size, 4, dtype="f4")
        self.slopes = ctx.texture(size, 4, dtype="f2")
        self.faces = ctx.texture(size, 1, dtype="f4")
        self.normal, self.tangent, self.bitangent = (ctx.texture(size, 4, dtype="f2") for _ in range(3))
        for part in (self.surface, self.slopes, self.normal, self.tangent, self.bitangent):
            part.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._depth = ctx.depth_renderbuffer(size)
        self.target = ctx.framebuffer(
            [self.surface, self.slopes, self.faces, self.normal, self.tangent, self.bitangent], self._depth
        )
        self.picture = ctx.texture(size, 4, dtype="f1")
        self.picture.repeat_x = self.picture.repeat_y = False
        self.shaded = ctx.framebuffer([self.picture], self._depth)
        self._ctx = ctx
        self._bloom: Bloom | None = None
        self._kept: dict[int | str, tuple[object, object]] = {}

    @property
    def bloom(self) -> Bloom:
        """Room for what the surface sends out; made when it is first needed."""
        if self._bloom is None:
            self._bloom = Bloom(self._ctx, self.picture, self._depth)
        return self._bloom

    def read(self, x: int, y: int) -> tuple[float, float] | None:
        """The (u, v) at a pixel (origin bottom left), or None where the model is not, or is of another sheet."""
        if not (0 <= x < self.size[0] and 0 <= y < self.size[1]):
            return None
        data = self.target.read((x, y, 1, 1), components=4, attachment=0, dtype="f4")
        u, v, there, aside = np.frombuffer(data, np.float32)
        return (float(u), float(v)) if there > 0 and aside == 0 else None

    def read_faces(self, x: int, y: int, width: int, height: int) -> NDArray[np.int32]:
        """The face at each pixel of a part of the view (origin bottom left), int32 (height, width), -1 for none."""
        left, bottom = max(0, x), max(0, y)
        right, top = min(self.size[0], x + width), min(self.size[1], y + height)
        if right <= left or top <= bottom:
            return np.full((0, 0), -1, np.int32)
        data = self.target.read((left, bottom, right - left, top - bottom), components=1, attachment=2, dtype="f4")
        faces = np.frombuffer(data, np.float32).reshape(top - bottom, right - left)
        return faces.astype(np.int32) - 1

    def kept(self, owner: object, make: Callable[[], T]) -> T:
        """What is made for an array, or for a word, of what is drawn here; remembered until something else is."""
        key = owner if isinstance(owner, str) else id(owner)
        if key not in self._kept:
            # The owner is held too: no other array can have its id meanwhile.
            self._kept[key] = owner, make()
        return cast(T, self._kept[key][1])

    def forget(self) -> None:
        """What is drawn here, or what lies on it, is another thing now."""
        self._kept.clear()

    def read_surface(self) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """(u, v), where the model is, where it is of another sheet; and the slopes of (u, v): float32 (height, width,
        4) each, rows from the bottom."""
        shape = self.size[1], self.size[0], 4
        surface = np.frombuffer(self.target.read(components=4, attachment=0, dtype="f4"), np.float32)
        slopes = np.frombuffer(self.target.read(components=4, attachment=1, dtype="f4"), np.float32)
        return surface.reshape(shape), slopes.reshape(shape)

    def read_places(self) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
        """Face (height, width), -1 for none, and (u, v) (height, width, 2) of every pixel, rows from the bottom."""
        width, height = self.size
        surface = np.frombuffer(self.target.read(components=4, attachment=0, dtype="f4"), np.float32)
        return self.read_faces(0, 0, width, height), surface.reshape(height, width, 4)[..., :2].copy()

    def release(self) -> None:
        """Give the memory back."""
        if self._bloom is not None:
            self._bloom.release()
        for part in (
            self.target, self.shaded, self.surface, self.slopes, self.faces, self.normal, self.tangent, self.bitangent,
            self.picture, self._depth,
        ):  # fmt: skip
            part.release()
