"""Small pictures of the model for cards and the rail, drawn in between when there is time."""

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QImage

from evenpalette.gpu.camera import OrbitCamera
from evenpalette.gpu.look import Look

if TYPE_CHECKING:
    from evenpalette.app.views import TwinViews

#: Pictures drawn in one turn, so that the window answers in between.
_A_TURN = 2


class PictureQueue(QObject):
    """Requests by key; a newer one with the same key replaces an older one."""

    def __init__(self, views: "TwinViews") -> None:
        super().__init__(views)
        self._views = views
        self._wanted: dict[object, tuple[Look, tuple[int, int], Callable[[QImage], None]]] = {}
        self._timer = QTimer(self, singleShot=True, interval=60)
        self._timer.timeout.connect(self._draw)

    @property
    def is_empty(self) -> bool:
        """Whether all pictures are drawn."""
        return not self._wanted

    def request(self, key: object, look: Look, size: tuple[int, int], callback: Callable[[QImage], None]) -> None:
        """Draw the model small, seen from where Form is seen, and hand the picture over."""
        self._wanted[key] = (look, size, callback)
        self._timer.start(60)

    def drop(self, prefix: str) -> None:
        """Forget requests whose key begins with a word."""
        self._wanted = {k: v for k, v in self._wanted.items() if not (isinstance(k, tuple) and k[0] == prefix)}

    def _draw(self) -> None:
        views = self._views
        if views.scene is None or not self._wanted or not views.isVisible():
            if self._wanted:
                self._timer.start(200)
            return
        mesh = views.session.state.mesh
        camera = OrbitCamera.around(*mesh.mesh.bounds) if mesh is not None else OrbitCamera()
        camera = replace(camera, yaw=views.camera.yaw, pitch=views.camera.pitch)
        ratio = views.devicePixelRatioF()
        views.makeCurrent()
        views.bring_up_to_date()
        for key in list(self._wanted)[:_A_TURN]:
            look, size, callback = self._wanted.pop(key)
            width, height = round(size[0] * ratio), round(size[1] * ratio)
            data = views.scene.thumbnail(look, camera, (width, height))
            image = QImage(data, width, height, width * 3, QImage.Format.Format_RGB888).copy()
            image.setDevicePixelRatio(ratio)
            callback(image)
        views.doneCurrent()
        if self._wanted:
            self._timer.start(0)
