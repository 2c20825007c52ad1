"""What lies over the pictures of a mesh: selected faces, and the lines of the UV layout."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.mesh.mesh import Mesh
from evenpalette.gpu.camera import PlaneView
from evenpalette.gpu.geometry import MeshBuffers
from evenpalette.gpu.programs import shader_file, tell, tell_bytes

#: Selected faces: a light veil, neutral, so that it is not taken for a color of the asset.
SELECTED = (1.0, 1.0, 1.0, 0.55)
_LINE = (0.95, 0.95, 0.95)


class Overlays:
    """Draws them into whatever is drawn into."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._lines = ctx.program(shader_file("lines.vert"), shader_file("lines.frag"))
        self._fill = ctx.program(shader_file("fill.vert"), shader_file("lines.frag"))
        self._chosen: moderngl.Buffer | None = None
        self._arrays: dict[moderngl.Buffer, moderngl.VertexArray] = {}

    def forget(self) -> None:
        """The mesh is another one."""
        self._arrays.clear()

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

    def draw_lines(self, buffers: MeshBuffers, clip: NDArray[np.float32], view: PlaneView) -> None:
        """The UV layout: faint between faces, stronger the nearer it is looked at, clear at the borders of islands."""
        self._blend()
        tell_bytes(self._lines, "u_clip", clip.T.tobytes())
        dense = min(0.22, 0.07 / view.span)
        for buffer, alpha in ((buffers.inner, dense), (buffers.borders, 0.75)):
            if buffer is not None:
                tell(self._lines, "u_color", (*_LINE, alpha))
                self._array(self._lines, buffer, "2f", "in_uv").render(moderngl.LINES)
        self._ctx.disable(moderngl.BLEND)

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
