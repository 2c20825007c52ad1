"""Where everything lies on the twin views, as plain data: the rectangles of Form and Flat, the camera and the plane."""

from dataclasses import field, replace

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRect, QRectF

from evenpalette.core.dataclass import dataclass
from evenpalette.core.mesh.camera import OrbitCamera, PlaneView


@dataclass(frozen=True)
class Frame:
    """Size in logical pixels, device pixels per logical one, the share of Form in the width, and where from it is seen.

    Positions ("place") are logical pixels from the top left of the widget; (u, v) has v down.
    """

    width: int = 1
    height: int = 1
    ratio: float = 1.0
    split: float = 0.5
    camera: OrbitCamera = field(default_factory=OrbitCamera)
    plane: PlaneView = field(default_factory=PlaneView)

    @property
    def form(self) -> QRect:
        """The part that Form fills."""
        return QRect(0, 0, round(self.width * self.split), self.height)

    @property
    def flat(self) -> QRect:
        """The part that Flat fills."""
        left = round(self.width * self.split) + 2
        return QRect(left, 0, self.width - left, self.height)

    def is_on_form(self, place: QPointF) -> bool:
        """Whether a place is on Form."""
        return self.form.contains(place.toPoint())

    def is_on_flat(self, place: QPointF) -> bool:
        """Whether a place is on Flat."""
        return self.flat.contains(place.toPoint())

    def logical(self, part: tuple[int, int, int, int]) -> QRectF:
        """A part of the picture in device pixels from the bottom left, as a rectangle of the widget."""
        left, low, width, height = (side / self.ratio for side in part)
        return QRectF(left, self.height - low - height, width, height)

    def device(self, rect: QRect) -> tuple[int, int, int, int]:
        """A rectangle in device pixels with its origin at the bottom left."""
        height = round(self.height * self.ratio)
        x, y = round(rect.x() * self.ratio), round(rect.y() * self.ratio)
        w, h = round(rect.width() * self.ratio), round(rect.height() * self.ratio)
        return x, height - y - h, max(1, w), max(1, h)

    def form_pixel(self, place: QPointF) -> tuple[int, int]:
        """The device pixel of Form, counted from its bottom left, at a place."""
        return int(place.x() * self.ratio), self.device(self.form)[3] - 1 - int(place.y() * self.ratio)

    @property
    def flat_scale(self) -> float:
        """Logical pixels on Flat for one unit of u."""
        return min(self.flat.width(), self.flat.height()) / self.plane.span

    def uv_on_flat(self, place: QPointF) -> tuple[float, float]:
        """The (u, v) of Flat at a place; beside the tile too."""
        flat = self.flat
        return self.plane.to_uv(place.x() - flat.left(), place.y(), flat.width(), flat.height())

    def place_on_flat(self, u: float, v: float) -> QPointF:
        """Where Flat shows a (u, v)."""
        flat = self.flat
        x, y = self.plane.to_pixel(u, v, flat.width(), flat.height())
        return QPointF(flat.left() + x, y)

    def place_on_form(self, point: NDArray[np.float64]) -> QPointF:
        """Where Form shows a point in space, hidden or not."""
        return QPointF(*self.camera.project(point, self.form.width(), self.form.height()))

    def places_on_form(self, points: NDArray) -> NDArray[np.float64]:
        """Where Form shows points in space (n, 3): (n, 2)."""
        return self.camera.project_all(points, self.form.width(), self.form.height())

    @property
    def form_scale(self) -> float:
        """Logical pixels on Form for one unit of length at the camera's target."""
        target = np.array(self.camera.target)
        return self._length(target, target + self.camera.axes()[0])

    def _length(self, start: NDArray, end: NDArray) -> float:
        first, second = self.place_on_form(start), self.place_on_form(end)
        return float(np.hypot(second.x() - first.x(), second.y() - first.y()))

    def turned(self, delta: QPointF) -> "Frame":
        """Form turned by a drag."""
        return replace(self, camera=self.camera.turned(delta.x(), delta.y()))

    def moved(self, delta: QPointF, *, form: bool) -> "Frame":
        """Form or Flat moved by a drag."""
        rect = self.form if form else self.flat
        shorter = min(rect.width(), rect.height())
        if form:
            return replace(self, camera=self.camera.moved(delta.x(), delta.y(), shorter))
        return replace(self, plane=self.plane.moved(delta.x(), delta.y(), shorter))

    def zoomed(self, factor: float, place: QPointF) -> "Frame":
        """The view at a place nearer, for factors above one; on Flat what lies there stays there."""
        if self.is_on_flat(place):
            return replace(self, plane=self.plane.zoomed(factor, self.uv_on_flat(place)))
        return replace(self, camera=self.camera.zoomed(factor))

    def split_at(self, x: float) -> "Frame":
        """The line between Form and Flat moved to a place."""
        return self.split_to(x / self.width)

    def split_to(self, share: float) -> "Frame":
        """Form given a share of the width."""
        return replace(self, split=min(0.85, max(0.15, share)))

    def looking_from(self, normal: NDArray, u: float, v: float) -> "Frame":
        """Form turned so that a face with this normal is in front, and a texel in the middle of Flat."""
        yaw = float(np.degrees(np.arctan2(normal[0], normal[2])))
        pitch = float(np.clip(np.degrees(np.arcsin(np.clip(normal[1], -1, 1))), -80, 80))
        return replace(self, camera=replace(self.camera, yaw=yaw, pitch=pitch)).looking_at(u, v)

    def looking_at(self, u: float, v: float) -> "Frame":
        """A texel in the middle of Flat."""
        return replace(self, plane=PlaneView((u, v), min(self.plane.span, 0.35)))

    def around(self, bounds: tuple[NDArray, NDArray] | None) -> "Frame":
        """The whole model, if there is one, and the whole texture."""
        camera = OrbitCamera.around(*bounds) if bounds is not None else self.camera
        return replace(self, camera=camera, plane=PlaneView())
