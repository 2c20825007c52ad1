"""What each pixel of the model shows, kept between frames until the camera, the size or the mesh changes."""

import moderngl
import numpy as np


class SurfaceBuffer:
    """(u, v), light and shine, and the slopes of (u, v) for every pixel of one view of the model.

    Shading each pixel once from here, instead of every small triangle, is what keeps software OpenGL fluent.
    """

    def __init__(self, ctx: moderngl.Context, size: tuple[int, int]) -> None:
        self.size = size
        self.key: object = None
        self.surface = ctx.texture(size, 4, dtype="f4")
        self.slopes = ctx.texture(size, 4, dtype="f2")
        self.surface.filter = self.slopes.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._depth = ctx.depth_renderbuffer(size)
        self.target = ctx.framebuffer([self.surface, self.slopes], self._depth)
        self.picture = ctx.texture(size, 4, dtype="f1")
        self.picture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self.shaded = ctx.framebuffer([self.picture], self._depth)

    def read(self, x: int, y: int) -> tuple[float, float] | None:
        """The (u, v) at a pixel (origin bottom left), or None where the model is not."""
        if not (0 <= x < self.size[0] and 0 <= y < self.size[1]):
            return None
        data = self.target.read((x, y, 1, 1), components=4, attachment=0, dtype="f4")
        u, v, light, _ = np.frombuffer(data, np.float32)
        return (float(u), float(v)) if light > 0 else None

    def release(self) -> None:
        """Give the memory back."""
        for part in (self.target, self.shaded, self.surface, self.slopes, self.picture, self._depth):
            part.release()
