"""What lies over the pictures of a mesh: selected faces, and the lines of the UV layout."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.mesh.camera import PlaneView
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.gpu.drawing import Viewport, begin
from evenpalette.gpu.geometry import MeshBuffers
from evenpalette.gpu.shader_files import shader_file, tell, tell_bytes

#: Selected faces: a light veil, neutral, so that it is not taken for a color of the asset.
SELECTED = (1.0, 1.0, 1.0, 0.55)
_LINE = (0.95, 0.95, 0.95)


class Overlays:
    """Draws them into whatever is drawn into."""

    def __init__(self, ctx: moderngl.Context, laid: tuple[moderngl.Program, moderngl.VertexArray]) -> None:
        """laid: lays a picture over, `picture.frag`."""
        self._ctx, self._laid = ctx, laid
        self._room: tuple[moderngl.Texture, moderngl.Framebuffer] | None = None
        self._lines_key: object = None
        self._lines = ctx.program(shader_file("lines.vert"), shader_file("lines.frag"))
        self._fill = ctx.program(shader_file("fill.vert"), shader_file("lines.frag"))
        self._chosen: moderngl.Buffer | None = None
        self._arrays: dict[moderngl.Buffer, moderngl.VertexArray] = {}

    def forget(self) -> None:
        """The mesh is another one."""
        self._arrays.clear()
        self._lines_key = None

    @property
    def has_selection(self) -> bool:
        """Whether any face is marked."""
        return self._chosen is not None

    def select(self, mesh: Mesh | None, faces: NDArray[np.int64]) -> None:
        """Mark these faces from now on."""
        if self._chosen is not None:
            self._arrays.pop(self._chosen, None)
            self._chosen.release()
        self._chosen = None
        if mesh is not None and mesh.uvs is not None and len(faces):
            corners = np.concatenate([mesh.positions[mesh.faces[faces]], mesh.uvs[faces]], -1).astype(np.float32)
            self._chosen = self._ctx.buffer(corners.tobytes())

    def draw_selection(self, clip: NDArray[np.float32], *, flat: bool) -> None:
        """Lay the veil over selected faces. clip: (4, 4) to clip space."""
        if self._chosen is None:
            return
        self._blend()
        tell_bytes(self._fill, "u_clip", clip.T.tobytes())
        tell(self._fill, "u_flat", int(flat))
        tell(self._fill, "u_color", SELECTED)
        self._array(self._fill, self._chosen, "3f 2f", "in_position", "in_uv").render(moderngl.TRIANGLES)
        self._ctx.disable(moderngl.BLEND)

    def draw_lines(
        self, buffers: MeshBuffers, viewport: Viewport, view: PlaneView, target: moderngl.Framebuffer, part: Viewport
    ) -> None:
        """The UV layout in a part of a viewport: faint between faces, stronger the nearer it is looked at, clear at the
        borders of islands. It is drawn once for each view, and laid over as a picture."""
        picture = self._picture_of_lines(buffers, (viewport[2], viewport[3]), view)
        program, quad = self._laid
        begin(self._ctx, target, viewport, part)
        self._ctx.enable(moderngl.BLEND)
        self._ctx.blend_func = moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA
        picture.use(0)
        tell(program, "u_picture", 0)
        tell(program, "u_corner", (float(viewport[0]), float(viewport[1])))
        quad.render(moderngl.TRIANGLE_STRIP)
        self._ctx.disable(moderngl.BLEND)

    def _picture_of_lines(self, buffers: MeshBuffers, size: tuple[int, int], view: PlaneView) -> moderngl.Texture:
        """The lines over nothing, their colors multiplied by their alpha."""
        if self._lines_key == (buffers, size, view) and self._room is not None:
            return self._room[0]
        if self._room is None or self._room[0].size != size:
            self._release_lines()
            made = self._ctx.texture(size, 4, dtype="f2")
            made.filter = (moderngl.NEAREST, moderngl.NEAREST)
            self._room = made, self._ctx.framebuffer([made])
        picture, target = self._room
        whole = (0, 0, *size)
        begin(self._ctx, target, whole, whole)
        target.clear(0.0, 0.0, 0.0, 0.0)
        self._ctx.enable(moderngl.BLEND)
        self._ctx.blend_func = (  # type: ignore[assignment]
            moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA,
        )  # fmt: skip
        tell_bytes(self._lines, "u_clip", view.matrix(*size).T.tobytes())
        dense = min(0.22, 0.07 / view.span)
        for buffer, alpha in ((buffers.inner, dense), (buffers.borders, 0.75)):
            if buffer is not None:
                tell(self._lines, "u_color", (*_LINE, alpha))
                self._array(self._lines, buffer, "2f", "in_uv").render(moderngl.LINES)
        self._ctx.disable(moderngl.BLEND)
        self._lines_key = buffers, size, view
        return picture

    def _release_lines(self) -> None:
        if self._room is not None:
            for part in self._room:
                part.release()
        self._room = None

    def _blend(self) -> None:
        self._ctx.enable(moderngl.BLEND)
        # The alpha of the target stays 1: the window would let what lies behind shine through.
        self._ctx.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE  # type: ignore[assignment]

    def _array(
        self, program: moderngl.Program, buffer: moderngl.Buffer, layout: str, *names: str
    ) -> moderngl.VertexArray:
        if buffer not in self._arrays:
            self._arrays[buffer] = self._ctx.vertex_array(program, [(buffer, layout, *names)])
        return self._arrays[buffer]
