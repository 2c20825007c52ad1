"""Flat: the texture plane, with the UV layout over it."""

import moderngl

from evenpalette.core.mesh.camera import PlaneView
from evenpalette.gpu.drawing import Viewport, bands, begin, common
from evenpalette.gpu.geometry import MeshBuffers
from evenpalette.gpu.look import Look
from evenpalette.gpu.overlays import Overlays
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
        self._drawn = Drawn()

    def draw(
        self, target: moderngl.Framebuffer, viewport: Viewport, view: PlaneView, looks: list[tuple[Look, float]],
        *, lines: bool, partly: bool,
    ) -> list[Viewport]:  # fmt: skip
        """See `SceneRenderer.draw_flat`."""
        shading = self._shading
        bound = [shading.bound(look) for look, _ in looks]
        regions = self._drawn.since((viewport, view, looks, lines), bound, partly=partly).regions
        tiles = on_flat(shading.coverages(regions), view, viewport) if regions else None
        if regions is not None and tiles is None:
            return []
        within = tiles.box if tiles is not None else viewport
        texel = min(viewport[2], viewport[3]) / view.span / max(shading.state.sources.size)
        shading.textures.magnify(SQUARE if texel > _SQUARE_FROM else SMOOTH)
        for look, left, right in bands(looks, viewport[2]):
            part = common((viewport[0] + left, viewport[1], right - left, viewport[3]), within)
            shading.shade(viewport, part, look, target=target, plane=view, tiles=tiles)
        shading.textures.magnify(SMOOTH)
        for part in tiles.parts if tiles is not None else [viewport]:
            begin(self._ctx, target, viewport, part)
            self._overlays.draw_selection(view.matrix(viewport[2], viewport[3]), flat=True)
            if lines and self.buffers is not None:
                self._overlays.draw_lines(self.buffers, viewport, view, target, part)
        self._ctx.scissor = None
        return [viewport] if tiles is None else tiles.parts
