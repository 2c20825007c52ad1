"""Meshes and UV layouts as vertex buffers."""

import moderngl
import numpy as np

from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.topology import uv_edges


class MeshBuffers:
    """The vertex buffers of one mesh: corners with position, normal and uv; lines of the UV layout."""

    def __init__(self, ctx: moderngl.Context, mesh: Mesh | None) -> None:
        self.form: moderngl.Buffer | None = None
        self.borders: moderngl.Buffer | None = None
        self.inner: moderngl.Buffer | None = None
        if mesh is None or mesh.uvs is None:
            return
        corners = np.concatenate([mesh.positions[mesh.faces], mesh.normals, mesh.uvs], -1).astype(np.float32)
        self.form = ctx.buffer(corners.tobytes())
        ends, border = uv_edges(mesh)
        self.borders = ctx.buffer(ends[border].tobytes()) if border.any() else None
        self.inner = ctx.buffer(ends[~border].tobytes()) if (~border).any() else None

    def release(self) -> None:
        """Give the memory back."""
        for buffer in (self.form, self.borders, self.inner):
            if buffer is not None:
                buffer.release()
