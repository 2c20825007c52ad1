"""Form: the lit model. What each of its pixels shows is kept; a moved slider only shades it again."""

import math
from dataclasses import replace

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.document.project import OpacityUse
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.raster.mips import MipKind
from evenpalette.core.raster.raster import Raster
from evenpalette.core.recipe.attributes import CUT, EMISSIVE, OPACITY
from evenpalette.gpu.drawing import SURROUND, Viewport, bands, begin, common
from evenpalette.gpu.geometry import MeshBuffers
from evenpalette.gpu.look import Look
from evenpalette.gpu.overlays import Overlays
from evenpalette.gpu.settling import SHIFTS, Settling
from evenpalette.gpu.shader_files import defined, shader_file, smoothing, tell, tell_bytes
from evenpalette.gpu.shading import WHITE, Shading
from evenpalette.gpu.sheets import OtherSheets
from evenpalette.gpu.surface import SurfaceBuffer
from evenpalette.gpu.touched import Drawn, Tiles, on_form


class Form:
    """Draws the model of one sheet, each view of it by a name."""

    def __init__(self, ctx: moderngl.Context, shading: Shading, overlays: Overlays, others: OtherSheets) -> None:
        self._ctx, self._shading, self._overlays, self._others = ctx, shading, overlays, others
        self._surface = ctx.program(shader_file("surface.vert"), defined(shader_file("surface.frag"), {"CUT": CUT}))
        self._settling = Settling(ctx, shading.programs)
        self._surfaces: dict[str, SurfaceBuffer] = {}
        self._coarser: dict[str, int] = {}
        self._drawn: dict[str, Drawn] = {}
        #: Whether it was last drawn with what scatters: small pictures are then drawn by the same program.
        self.bloomed = False
        self.buffers: MeshBuffers | None = None
        self._array: moderngl.VertexArray | None = None

    def take(self, buffers: MeshBuffers) -> None:
        """Draw this mesh from now on."""
        self.buffers, self._array = buffers, None

    @property
    def is_there(self) -> bool:
        """Whether there is a mesh to draw."""
        return self.buffers is not None and self.buffers.form is not None

    def draw(
        self, target: moderngl.Framebuffer, viewport: Viewport, camera: OrbitCamera, looks: list[tuple[Look, float]],
        name: str, coarser: int, *, partly: bool,
    ) -> list[Viewport]:  # fmt: skip
        """See `SceneRenderer.draw_form`."""
        # A coarse picture has a buffer of its own; where the pointer is, is asked of the one that was drawn last.
        called, before = _called(name, coarser), self._coarser.get(name, coarser)
        self._coarser[name] = coarser
        size = max(1, viewport[2] // coarser), max(1, viewport[3] // coarser)
        buffer = self.buffer(called, size, camera)
        shading, blooms = self._shading, self._blooms(looks)
        bound = [shading.bound(look) for look, _ in looks]
        partly = partly and not any(True for _ in self._others)
        if not partly:
            for surface in self._surfaces.values():
                surface.forget()
            for drawn in self._drawn.values():
                drawn.forget()
        # What the buffer lacks, and what the target does: they differ while a hand is followed coarsely.
        change = self._drawn_of(called).since((buffer, buffer.key, viewport, looks, blooms), bound, partly=partly)
        lacks = self._drawn_of(f"{name} target").since((camera, viewport, looks, blooms), bound, partly=partly)
        part: Viewport = (0, 0, *buffer.size)
        tiles: Tiles | None = None
        if change.regions is not None and not self._overlays.has_selection:
            tiles = on_form(shading.coverages(change.regions), buffer) if change.regions else None
            if tiles is None and lacks.regions is not None and coarser == before:
                return []
            # All that the model covers is written over, and nothing beside it.
            part = tiles.box if tiles is not None else (0, 0, 0, 0)
        self.bloomed = bool(blooms)
        if part[2]:
            self._paint(buffer, camera, looks, blooms, called, part, tiles)
        scatters = bool(blooms) and EMISSIVE in change.writes
        if scatters:
            self._blur(buffer, looks)
        seen = viewport
        if not scatters and lacks.regions is not None and coarser >= before:
            shown = tiles
            if shown is None or lacks.regions != change.regions:
                shown = on_form(shading.coverages(lacks.regions), buffer) if lacks.regions else None
            if shown is None:
                return []
            seen = common(viewport, _around(shown.box, buffer.size, viewport))
        coarse = buffer.size != (viewport[2], viewport[3])
        picture = buffer.picture
        if coarse and blooms:
            # What is scattered is added to few pixels, and not to the many that they become.
            whole: Viewport = (0, 0, *buffer.size)
            begin(self._ctx, buffer.bloom.mix, whole, whole)
            self._show(buffer, picture, whole, blooms, smoothing(between=True, blooms=True))
            picture, blooms = buffer.bloom.mixed, 0.0
        begin(self._ctx, target, viewport, seen)
        self._show(buffer, picture, viewport, blooms, smoothing(between=coarse, blooms=bool(blooms)))
        return [seen]

    def _drawn_of(self, called: str) -> Drawn:
        return self._drawn.setdefault(called, Drawn())

    def settle(
        self, target: moderngl.Framebuffer, viewport: Viewport, camera: OrbitCamera, looks: list[tuple[Look, float]],
        name: str, number: int,
    ) -> None:  # fmt: skip
        """See `SceneRenderer.settle_form`."""
        size, called = (viewport[2], viewport[3]), f"{name} settling"
        camera = replace(camera, shift=SHIFTS[number])
        buffer, blooms = self.buffer(called, size, camera), self._blooms(looks)
        self._paint(buffer, camera, looks, blooms, called, (0, 0, *size))
        if blooms:
            self._blur(buffer, looks)
        self._settling.begin(size, anew=number == 0)
        self._ctx.enable(moderngl.BLEND)
        self._ctx.blend_func = moderngl.ONE, moderngl.ONE
        self._show(
            buffer, buffer.picture, (0, 0, *size), blooms, smoothing(between=True, blooms=bool(blooms), linear=True)
        )
        self._ctx.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA
        self._ctx.disable(moderngl.BLEND)
        self.show_settled(target, viewport)

    def show_settled(self, target: moderngl.Framebuffer, viewport: Viewport) -> None:
        """Put what has settled so far into the target."""
        self._settling.show(target, viewport)

    def _blooms(self, looks: list[tuple[Look, float]]) -> float:
        return max((look.light.bloom for look, _ in looks if self._shading.blooms(look)), default=0.0)

    def _blur(self, buffer: SurfaceBuffer, looks: list[tuple[Look, float]]) -> None:
        width, blur = buffer.size[0], self._shading.programs.plain(shader_file("blur.frag"))
        buffer.bloom.blur(*blur, [(left / width, right / width) for _, left, right in bands(looks, width)])

    def _paint(
        self, buffer: SurfaceBuffer, camera: OrbitCamera, looks: list[tuple[Look, float]], blooms: float, called: str,
        within: Viewport, tiles: Tiles | None = None,
    ) -> None:  # fmt: skip
        """Shade what each pixel shows. called: what the buffer is kept under. tiles: with `within`, the part of it that
        changed; else all is drawn anew."""
        size, shading = buffer.size, self._shading
        if tiles is None:
            self.clear(buffer)
            if blooms:
                buffer.bloom.clear()
        for look, left, right in bands(looks, size[0]):
            part = common((left, 0, right - left, size[1]), within)
            below = self._others.picture(size, camera, look, called)
            shading.shade(
                (0, 0, *size),
                [part],
                look,
                buffer=buffer,
                camera=camera,
                below=below,
                blooms=shading.blooms(look),
                tiles=tiles,
            )
        if tiles is None:
            begin(self._ctx, buffer.shaded, (0, 0, *size), within)
            self._ctx.enable(moderngl.DEPTH_TEST)
            self._ctx.depth_func = "<="
            self._overlays.draw_selection(camera.matrix(*size), flat=False)
            self._ctx.depth_func = "<"

    def _show(
        self, buffer: SurfaceBuffer, picture: moderngl.Texture, viewport: Viewport, blooms: float, text: str
    ) -> None:
        """Put a picture of the buffer, with what it scatters, into what is drawn to."""
        program, quad = self._shading.programs.plain(text)
        picture.use(0)
        tell(program, "u_picture", 0)
        tell(program, "u_scale", (buffer.size[0] / viewport[2], buffer.size[1] / viewport[3]))
        tell(program, "u_blooms", blooms)
        if blooms:
            for unit, picture in enumerate(buffer.bloom.pictures, 1):
                picture.use(unit)
        tell(program, "u_bloom", [1, 2])
        tell(program, "u_corner", (float(viewport[0]), float(viewport[1])))
        quad.render(moderngl.TRIANGLE_STRIP)
        self._ctx.scissor = None

    def clear(self, buffer: SurfaceBuffer) -> None:
        """Nothing but the surround."""
        begin(self._ctx, buffer.shaded, (0, 0, *buffer.size), (0, 0, *buffer.size))
        buffer.shaded.depth_mask = False
        buffer.shaded.clear(SURROUND, SURROUND, SURROUND, 0.0)

    def last(self, name: str) -> tuple[SurfaceBuffer | None, int]:
        """What a view's pixels show, and how much coarser it is than the view."""
        coarser = self._coarser.get(name, 1)
        return self._surfaces.get(_called(name, coarser)), coarser

    def outdate(self) -> None:
        """What is cut out is part of what is kept for each pixel: look again."""
        for surface in self._surfaces.values():
            surface.key = None

    def buffer(self, name: str, size: tuple[int, int], camera: OrbitCamera) -> SurfaceBuffer:
        """What each pixel of a view shows, drawn anew where the camera, the size or the mesh changed."""
        held = self._surfaces.get(name)
        if held is None or held.size != size:
            if held is not None:
                held.release()
            held = self._surfaces[name] = SurfaceBuffer(self._ctx, size)
        cut = self._cut_texture()
        key = (camera, id(self.buffers), id(cut.pixels) if cut is not None else 0)
        if held.key != key:
            self._draw_surface(held, camera, cut)
            held.key = key
            held.forget()
        return held

    def _cut_texture(self) -> Raster | None:
        """The texture whose alpha cuts the surface out."""
        state = self._shading.state
        start = state.starts.get(OPACITY)
        cuts = state.sheet.opacity is OpacityUse.CUT_OUT
        return state.textures.get(start.texture) if start is not None and cuts else None

    def _draw_surface(self, buffer: SurfaceBuffer, camera: OrbitCamera, cut: Raster | None) -> None:
        width, height = buffer.size
        begin(self._ctx, buffer.target, (0, 0, width, height), (0, 0, width, height))
        buffer.target.clear(0.0, 0.0, 0.0, 0.0, depth=1.0)
        if self.buffers is None or self.buffers.form is None:
            return
        buffer.target.depth_mask = True
        self._ctx.enable(moderngl.DEPTH_TEST)
        program = self._surface
        tell_bytes(program, "u_clip", camera.matrix(width, height).T.tobytes())
        tell(program, "u_cut", int(cut is not None))
        tell(program, "u_opacity_in", 3)
        self._shading.textures.of(cut or WHITE, MipKind.CUT_OUT if cut is not None else MipKind.PLAIN).use(0)
        tell(program, "u_opacity", 0)
        if self._array is None:
            layout = (self.buffers.form, "3f 3f 2f", "in_position", "in_normal", "in_uv")
            self._array = self._ctx.vertex_array(program, [layout])
        self._array.render(moderngl.TRIANGLES)
        self._ctx.disable(moderngl.DEPTH_TEST)


def faces_of(buffer: SurfaceBuffer | None, part: Viewport, coarser: int) -> NDArray[np.int32]:
    """The faces that a part of a view shows (origin bottom left), -1 for none."""
    if buffer is None:
        return np.full((0, 0), -1, np.int32)
    x, y, width, height = part
    return buffer.read_faces(x // coarser, y // coarser, max(1, width // coarser), max(1, height // coarser))


def _around(box: Viewport, size: tuple[int, int], viewport: Viewport) -> Viewport:
    """The pixels of a viewport that a part of a buffer of this size is seen in: the outline is smoothed over the pixels
    around it, and coarse ones are blended with the next."""
    across, down = viewport[2] / size[0], viewport[3] / size[1]
    more = 1 if size == viewport[2:] else math.ceil(max(across, down)) + 1
    left, bottom = math.floor(box[0] * across) - more, math.floor(box[1] * down) - more
    right, top = math.ceil((box[0] + box[2]) * across) + more, math.ceil((box[1] + box[3]) * down) + more
    return viewport[0] + left, viewport[1] + bottom, right - left, top - bottom


def _called(name: str, coarser: int) -> str:
    """What the buffer of a view is kept under."""
    return name if coarser == 1 else f"{name} coarse"
