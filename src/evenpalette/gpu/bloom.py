"""What the surface sends out, scattered as in an eye or a lens: blurred little and much, at a quarter of the size."""

import math
from collections.abc import Sequence

import moderngl

from evenpalette.gpu.shader_files import tell

#: A picture's side over that of its blurred ones.
_COARSER = 4


class Bloom:
    """Room beside one view of the model. target: draws the picture and, at location 1, the light that it sends out."""

    def __init__(self, ctx: moderngl.Context, picture: moderngl.Texture, depth: moderngl.Renderbuffer) -> None:
        self._ctx = ctx
        self._bands: Sequence[tuple[float, float]] = ()
        self._glow = ctx.texture(picture.size, 4, dtype="f2")
        self.target = ctx.framebuffer([picture, self._glow], depth)
        self._alone = ctx.framebuffer([self._glow])
        small = tuple(max(1, side // _COARSER) for side in picture.size)
        self._small = [ctx.texture(small, 4, dtype="f2") for _ in range(3)]
        self._rooms = [ctx.framebuffer([texture]) for texture in self._small]
        #: The picture with what it scatters, where it is made larger afterwards.
        self.mixed = ctx.texture(picture.size, 4)
        self.mix = ctx.framebuffer([self.mixed])
        for texture in (self._glow, self.mixed, *self._small):
            texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
            texture.repeat_x = texture.repeat_y = False

    @property
    def pictures(self) -> tuple[moderngl.Texture, moderngl.Texture]:
        """Blurred little, and much."""
        return self._small[1], self._small[2]

    def clear(self) -> None:
        """Nothing sends out light."""
        self._alone.use()
        self._ctx.scissor = None
        self._alone.clear(0.0, 0.0, 0.0, 0.0)

    def blur(self, program: moderngl.Program, quad: moderngl.VertexArray, bands: Sequence[tuple[float, float]]) -> None:
        """Scatter what was drawn. bands: shares of the width from and to which it stays: a wipe shows two pictures."""
        width, height = self._small[0].size
        self._bands = bands
        self._pass(program, quad, self._glow, 2, (0.0, 0.0))
        self._pass(program, quad, self._small[2], 0, (1.0 / width, 0.0))
        self._pass(program, quad, self._small[0], 1, (0.0, 1.0 / height))
        self._pass(program, quad, self._small[1], 0, (3.5 / width, 0.0))
        self._pass(program, quad, self._small[0], 2, (0.0, 3.5 / height))

    def _pass(
        self,
        program: moderngl.Program,
        quad: moderngl.VertexArray,
        source: moderngl.Texture,
        into: int,
        step: tuple[float, float],
    ) -> None:
        self._rooms[into].use()
        self._ctx.viewport = (0, 0, *self._small[into].size)
        self._ctx.disable(moderngl.BLEND | moderngl.CULL_FACE | moderngl.DEPTH_TEST)
        source.use(0)
        tell(program, "u_picture", 0)
        tell(program, "u_shrink", int(source is self._glow))
        tell(program, "u_step", step)
        tell(program, "u_size", tuple(float(side) for side in self._small[into].size))
        width, height = self._small[into].size
        self._ctx.scissor = None
        self._rooms[into].clear()
        for low, high in self._bands:
            # A texel that lies across the line between two pictures belongs to neither.
            left, right = math.ceil(low * width - 1e-6), math.floor(high * width + 1e-6)
            if right > left:
                self._ctx.scissor = (left, 0, right - left, height)
                tell(program, "u_band", (left / width, right / width))
                quad.render(moderngl.TRIANGLE_STRIP)

    def release(self) -> None:
        """Give the memory back."""
        rooms: list[moderngl.Framebuffer | moderngl.Texture] = [self.target, self._alone, self.mix, *self._rooms]
        for part in (*rooms, self._glow, self.mixed, *self._small):
            part.release()
