"""Flat: the texture plane, with the UV layout over it."""

import moderngl

from evenpalette.core.mesh.camera import PlaneView
from evenpalette.gpu.drawing import Viewport, bands, begin, common
from evenpalette.gpu.geometry import MeshBuffers
from evenpalette.gpu.look import Look
from evenpalette.gpu.overlays import Overlays
from evenpalette.gpu.shader_files import smoothing, tell
from evenpalette.gpu.shading import Shading
from evenpalette.gpu.textures import SMOOTH, SQUARE
from evenpalette.gpu.touched import Drawn, on_flat

#: Pixels of a texel from which on it is drawn as a square.
_SQUARE_FROM = 3


class Flat:
    """Draws the texture plane of one sheet."""

    def __init__(self, ctx: moderngl.Context, shading: Shading, overlays: Overlays) -> None:
        self._ctx, self._shading, self._overlays = ctx, shading, overlays
        self.buffers: MeshBuffers | None = None
        #: What the target holds, and what it held when it was last drawn with all its pixels.
        self._drawn, self._drawn_fine = Drawn(), Drawn()
        self._coarse: tuple[moderngl.Texture, moderngl.Framebuffer] | None = None

    def draw(
        self, target: moderngl.Framebuffer, viewport: Viewport, view: PlaneView, looks: list[tuple[Look, float]],
        *, lines: bool, coarser: int, partly: bool,
    ) -> list[Viewport]:  # fmt: skip
        """See `SceneRenderer.draw_flat`."""
        shading = self._shading
        key, bound = (viewport, view, looks, lines), [shading.bound(look) for look, _ in looks]
        regions = self._drawn.since(key, bound, partly=partly).regions
        if coarser == 1:
            regions = self._drawn_fine.since(key, bound, partly=partly).regions
        parts = [viewport]
        if regions is not None:
            parts = on_flat(shading.coverages(regions), view, viewport) if regions else []
        if coarser > 1:
            self._draw_coarse(target, viewport, view, looks, coarser, parts)
        else:
            self._shade(target, viewport, view, looks, parts)
        for part in parts:
            begin(self._ctx, target, viewport, part)
            self._overlays.draw_selection(view.matrix(viewport[2], viewport[3]), flat=True)
            if lines and self.buffers is not None:
                self._overlays.draw_lines(self.buffers, viewport, view, target, part)
        self._ctx.scissor = None
        return parts

    def _shade(
        self, target: moderngl.Framebuffer, viewport: Viewport, view: PlaneView, looks: list[tuple[Look, float]],
        parts: list[Viewport],
    ) -> None:  # fmt: skip
        shading = self._shading
        texel = min(viewport[2], viewport[3]) / view.span / max(shading.state.sources.size)
        shading.textures.magnify(SQUARE if texel > _SQUARE_FROM else SMOOTH)
        for look, left, right in bands(looks, viewport[2]):
            band = viewport[0] + left, viewport[1], right - left, viewport[3]
            shading.shade(viewport, [common(band, part) for part in parts], look, target=target, plane=view)
        shading.textures.magnify(SMOOTH)

    def _draw_coarse(
        self, target: moderngl.Framebuffer, viewport: Viewport, view: PlaneView, looks: list[tuple[Look, float]],
        coarser: int, parts: list[Viewport],
    ) -> None:  # fmt: skip
        """Draw parts of the viewport beside the target with fewer pixels, and put them there."""
        view, across, up = view.coarser(viewport[2], viewport[3], coarser)
        if self._coarse is None or self._coarse[0].size != (across, up):
            for held in self._coarse or ():
                held.release()
            picture = self._ctx.texture((across, up), 4)
            picture.repeat_x = picture.repeat_y = False
            self._coarse = picture, self._ctx.framebuffer([picture])
        picture, room = self._coarse
        whole: Viewport = (0, 0, across, up)
        self._shade(room, whole, view, looks, [common(_fewer(part, viewport, coarser), whole) for part in parts])
        program, quad = self._shading.programs.plain(smoothing(between=True, blooms=False))
        for part in parts:
            begin(self._ctx, target, viewport, part)
            picture.use(0)
            tell(program, "u_picture", 0)
            tell(program, "u_scale", (1 / coarser, 1 / coarser))
            tell(program, "u_corner", (float(viewport[0]), float(viewport[1])))
            quad.render(moderngl.TRIANGLE_STRIP)


def _fewer(part: Viewport, viewport: Viewport, coarser: int) -> Viewport:
    """The pixels of a coarse viewport that lie under a part of a viewport, and those that are blended with them."""
    left, low = (part[0] - viewport[0]) // coarser - 1, (part[1] - viewport[1]) // coarser - 1
    right = -(-(part[0] - viewport[0] + part[2]) // coarser) + 1
    high = -(-(part[1] - viewport[1] + part[3]) // coarser) + 1
    return left, low, right - left, high - low
