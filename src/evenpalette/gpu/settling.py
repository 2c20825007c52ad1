"""Pictures of one view, each moved by another part of a pixel, added up as light: their mean has smooth edges."""

import moderngl

from evenpalette.gpu.drawing import Viewport, begin
from evenpalette.gpu.programs import ViewPrograms
from evenpalette.gpu.shader_files import settled, tell


def _inverse(number: int, base: int) -> float:
    """The digits of a number behind the point, the last one first."""
    share, place = 0.0, 1.0
    while number:
        place /= base
        share += place * (number % base)
        number //= base
    return share


#: Where in a pixel each picture looks, from -0.5 to 0.5: J. Halton, "On the efficiency of certain quasi-random
#: sequences of points", 1960, bases 2 and 3, from memory.
SHIFTS = tuple((_inverse(n, 2) - 0.5, _inverse(n, 3) - 0.5) for n in range(1, 17))


class Settling:
    """The sum of the pictures so far."""

    def __init__(self, ctx: moderngl.Context, programs: ViewPrograms) -> None:
        self._ctx, self._programs = ctx, programs
        self._sum: moderngl.Texture | None = None
        self._target: moderngl.Framebuffer | None = None

    def begin(self, size: tuple[int, int], *, anew: bool) -> None:
        """Add up pictures of this size from now on; anew: with nothing so far."""
        if self._sum is None or self._target is None or self._sum.size != size:
            self.release()
            self._sum = self._ctx.texture(size, 4, dtype="f4")
            self._sum.filter = (moderngl.NEAREST, moderngl.NEAREST)
            self._target = self._ctx.framebuffer([self._sum])
            anew = True
        # A part that was drawn last must not keep the rest from being cleared.
        begin(self._ctx, self._target, (0, 0, *size), (0, 0, *size))
        if anew:
            self._target.clear(0.0, 0.0, 0.0, 0.0)

    def show(self, target: moderngl.Framebuffer, viewport: Viewport) -> None:
        """Put the mean into a part of a target."""
        assert self._sum is not None
        program, quad = self._programs.plain(settled())
        begin(self._ctx, target, viewport, viewport)
        self._sum.use(0)
        tell(program, "u_sum", 0)
        tell(program, "u_corner", (float(viewport[0]), float(viewport[1])))
        quad.render(moderngl.TRIANGLE_STRIP)
        self._ctx.scissor = None

    def release(self) -> None:
        """Give the memory back."""
        if self._sum is not None and self._target is not None:
            self._target.release()
            self._sum.release()
        self._sum = self._target = None
