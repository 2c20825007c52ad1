"""Small pictures of the model in any look."""

import cv2
import moderngl
import numpy as np

from evenpalette.core.mesh.camera import OrbitCamera, PlaneView
from evenpalette.gpu.form import Form
from evenpalette.gpu.look import Look
from evenpalette.gpu.shading import Shading
from evenpalette.gpu.sheets import OtherSheets


class Thumbnails:
    """Draws them at twice their size and makes them smaller."""

    def __init__(self, ctx: moderngl.Context, shading: Shading, form: Form, others: OtherSheets) -> None:
        self._ctx, self._shading, self._form, self._others = ctx, shading, form, others

    def draw(self, look: Look, camera: OrbitCamera, size: tuple[int, int]) -> bytes:
        """See `SceneRenderer.thumbnail`."""
        width, height = size[0] * 2, size[1] * 2
        # Textures whose sides are powers of two are another case to a software driver: it would compile all anew.
        drawn, name = (_no_power_of_two(width), _no_power_of_two(height)), f"thumbnail {size}"
        buffer = self._form.buffer(name, drawn, camera)
        whole = (0, 0, *drawn)
        self._form.clear(buffer)
        if self._form.is_there:
            below = self._others.picture(drawn, camera, look, name)
            self._shading.shade(
                whole, [whole], look, buffer=buffer, camera=camera, below=below, blooms=self._form.bloomed
            )
        else:
            self._shading.shade(whole, [whole], look, target=buffer.shaded, plane=PlaneView((0.5, 0.5), 1.0))
        self._ctx.scissor = None
        read = buffer.shaded.read((0, 0, width, height), components=3)
        data = np.frombuffer(read, np.uint8).reshape(height, width, 3)
        return np.ascontiguousarray(cv2.resize(data, size, interpolation=cv2.INTER_AREA)[::-1]).tobytes()


def _no_power_of_two(side: int) -> int:
    return side + 2 if side & (side - 1) == 0 else side
