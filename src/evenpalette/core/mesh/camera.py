"""Where the model and the texture plane are looked at from."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass

FIELD_OF_VIEW_DEGREES = 30.0


@dataclass(frozen=True)
class OrbitCamera:
    """A camera that turns about a point. Angles in degrees; `span` is what fits into the shorter side of the view;
    `shift` moves what is drawn by parts of a pixel, to the right and up."""

    target: tuple[float, float, float] = (0.0, 0.0, 0.0)
    yaw: float = 28.0
    pitch: float = 14.0
    span: float = 2.0
    shift: tuple[float, float] = (0.0, 0.0)

    @classmethod
    def around(cls, low: NDArray, high: NDArray) -> "OrbitCamera":
        """A camera that shows the whole box."""
        center = (np.asarray(low) + np.asarray(high)) / 2
        size = np.asarray(high, np.float64) - np.asarray(low, np.float64)
        # Perspective makes the near side larger, hence the share of the depth.
        span = max(float(np.hypot(size[0], size[2])), float(size[1])) * 1.16 + 0.12 * float(max(size[0], size[2]))
        # A little lower than the middle: the header lies on the top of the view.
        return cls(target=(float(center[0]), float(center[1]) + 0.03 * span, float(center[2])), span=max(span, 1e-6))

    @property
    def distance(self) -> float:
        """From the eye to the target."""
        return self.span / 2 / np.tan(np.radians(FIELD_OF_VIEW_DEGREES / 2))

    def axes(self) -> tuple[NDArray, NDArray, NDArray]:
        """Unit vectors right, up and back (from the target to the eye)."""
        yaw, pitch = np.radians([self.yaw, self.pitch])
        back = np.array([np.sin(yaw) * np.cos(pitch), np.sin(pitch), np.cos(yaw) * np.cos(pitch)])
        right = np.array([np.cos(yaw), 0, -np.sin(yaw)])
        return right, np.cross(back, right), back

    @property
    def eye(self) -> NDArray:
        """Position of the eye, (3,)."""
        return np.array(self.target) + self.axes()[2] * self.distance

    def matrix(self, width: int, height: int) -> NDArray[np.float32]:
        """World to clip space for a view of this size, (4, 4), column vectors."""
        right, up, back = self.axes()
        view = np.eye(4)
        view[:3, :3] = [right, up, back]
        view[:3, 3] = -view[:3, :3] @ self.eye
        near, far = self.distance * 0.02, self.distance * 4 + self.span * 4
        f = 1 / np.tan(np.radians(FIELD_OF_VIEW_DEGREES / 2))
        shorter = min(width, height)
        projection = np.array(
            [
                [f * shorter / width, 0, -2 * self.shift[0] / width, 0],
                [0, f * shorter / height, -2 * self.shift[1] / height, 0],
                [0, 0, (far + near) / (near - far), 2 * far * near / (near - far)],
                [0, 0, -1, 0],
            ]
        )
        return (projection @ view).astype(np.float32)

    def rays(self, width: int, height: int) -> NDArray[np.float64]:
        """(3, 3): times (x, y, 1) of a pixel, from the bottom left, the direction from the eye to what it shows."""
        right, up, back = self.axes()
        scale = 2 * np.tan(np.radians(FIELD_OF_VIEW_DEGREES / 2)) / min(width, height)
        first = -back - right * scale * width / 2 - up * scale * height / 2
        return np.stack([right * scale, up * scale, first], 1)

    def project(self, point: NDArray, width: int, height: int) -> tuple[float, float]:
        """The pixel position (y down) of a point in space."""
        clip = self.matrix(width, height).astype(np.float64) @ np.append(point, 1.0)
        w = clip[3] if abs(clip[3]) > 1e-9 else 1e-9
        return (clip[0] / w + 1) / 2 * width, (1 - clip[1] / w) / 2 * height

    def project_all(self, points: NDArray, width: int, height: int) -> NDArray[np.float64]:
        """Pixel positions (n, 2), y down, of points (n, 3)."""
        homogeneous = np.concatenate([np.asarray(points, np.float64), np.ones((len(points), 1))], 1)
        clip = homogeneous @ self.matrix(width, height).astype(np.float64).T
        w = np.where(np.abs(clip[:, 3:]) > 1e-9, clip[:, 3:], 1e-9)
        return np.concatenate([(clip[:, :1] / w + 1) / 2 * width, (1 - clip[:, 1:2] / w) / 2 * height], 1)

    def turned(self, dx: float, dy: float) -> "OrbitCamera":
        """Dragged by pixels."""
        return replace(self, yaw=(self.yaw - dx * 0.4) % 360, pitch=min(89.0, max(-89.0, self.pitch + dy * 0.4)))

    def moved(self, dx: float, dy: float, shorter: int) -> "OrbitCamera":
        """The target dragged along with the pointer."""
        right, up, _ = self.axes()
        target = np.array(self.target) + (-right * dx + up * dy) * self.span / shorter
        return replace(self, target=(float(target[0]), float(target[1]), float(target[2])))

    def along_ground(self, dx: float, dy: float, shorter: int) -> tuple[float, float]:
        """How far something on the ground goes, in x and z, that is dragged by pixels."""
        right, _, back = self.axes()
        ahead = np.array([back[0], back[2]]) / max(float(np.hypot(back[0], back[2])), 1e-6)
        scale = self.span / max(1, shorter)
        return (
            (float(right[0]) * dx + float(ahead[0]) * dy) * scale,
            (float(right[2]) * dx + float(ahead[1]) * dy) * scale,
        )

    def fitted(self, points: NDArray, width: int, height: int, margin: float = 0.06) -> "OrbitCamera":
        """As near as it can be with all points (n, 3) in a view of this size, and a margin, 0..1, around them."""

        def holds(camera: "OrbitCamera") -> bool:
            seen = camera.project_all(points, width, height) / (width, height)
            return bool((np.abs(seen - 0.5) <= 0.5 - margin).all())

        low, high = self.span * 1e-3, self.span * 30
        for _ in range(40):
            middle = float(np.sqrt(low * high))
            if holds(replace(self, span=middle)):
                high = middle
            else:
                low = middle
        return replace(self, span=high)

    def zoomed(self, factor: float) -> "OrbitCamera":
        """Nearer for factors above one."""
        return replace(self, span=min(max(self.span / factor, 1e-4), 1e5))


@dataclass(frozen=True)
class PlaneView:
    """The texture plane: which (u, v) is in the middle and how many tiles fit into the shorter side."""

    center: tuple[float, float] = (0.5, 0.465)
    span: float = 1.2

    def to_uv(self, x: float, y: float, width: int, height: int) -> tuple[float, float]:
        """The (u, v), v down, under a pixel position."""
        scale = self.span / min(width, height)
        return self.center[0] + (x - width / 2) * scale, self.center[1] + (y - height / 2) * scale

    def to_pixel(self, u: float, v: float, width: int, height: int) -> tuple[float, float]:
        """The pixel position of a (u, v)."""
        scale = min(width, height) / self.span
        return width / 2 + (u - self.center[0]) * scale, height / 2 + (v - self.center[1]) * scale

    def matrix(self, width: int, height: int) -> NDArray[np.float32]:
        """(u, v, 0, 1) to clip space, (4, 4)."""
        shorter = min(width, height)
        sx, sy = 2 / self.span * shorter / width, -2 / self.span * shorter / height
        return np.array([
            [sx, 0, 0, -self.center[0] * sx], [0, sy, 0, -self.center[1] * sy], [0, 0, 0.5, 0], [0, 0, 0, 1],
        ], np.float32)  # fmt: skip

    def coarser(self, width: int, height: int, times: int) -> tuple["PlaneView", int, int]:
        """What shows the same from the bottom left on in pixels that are so many times as wide; and how many of them
        are needed across and up."""
        across, up = -(-width // times), -(-height // times)
        step = self.span / min(width, height) * times
        u, v = self.to_uv(0, height, width, height)
        return PlaneView((u + across / 2 * step, v - up / 2 * step), step * min(across, up)), across, up

    def moved(self, dx: float, dy: float, shorter: int) -> "PlaneView":
        """Dragged by pixels."""
        scale = self.span / shorter
        return replace(self, center=(self.center[0] - dx * scale, self.center[1] - dy * scale))

    def zoomed(self, factor: float, at: tuple[float, float]) -> "PlaneView":
        """Nearer for factors above one; the (u, v) `at` stays where it is."""
        span = min(max(self.span / factor, 0.002), 20.0)
        share = span / self.span
        center = (at[0] + (self.center[0] - at[0]) * share, at[1] + (self.center[1] - at[1]) * share)
        return PlaneView(center, span)
