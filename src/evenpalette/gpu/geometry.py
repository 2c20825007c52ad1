"""Meshes and UV layouts as vertex buffers."""

import moderngl
import numpy as np

from evenpalette.core.mesh.view import MeshView


class MeshBuffers:
    """The vertex buffers of one mesh: corners with position, normal and uv; lines of the UV layout."""

    def __init__(self, ctx: moderngl.Context, view: MeshView | None) -> None:
        self.form: moderngl.Buffer | None = None
        self.borders: moderngl.Buffer | None = None
        self.inner: moderngl.Buffer | None = None
        if view is None or view.mesh.uvs is None:
            return
        mesh, corners = view.mesh, np.empty((view.mesh.face_count, 3, 8), np.float32)
        corners[..., :3] = mesh.positions[mesh.faces]
        corners[..., 3:6] = mesh.normals
        corners[..., 6:] = mesh.uvs
        self.form = ctx.buffer(corners)
        ends, border = view.uv_lines
        self.borders = ctx.buffer(ends[border]) if border.any() else None
        self.inner = ctx.buffer(ends[~border]) if (~border).any() else None

    def release(self) -> None:
        """Give the memory back."""
        for buffer in (self.form, self.borders, self.inner):
            if buffer is not None:
                buffer.release()
