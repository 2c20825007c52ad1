"""One stroke: from where the pointer was to changed planes."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.raster.box import Box
from evenpalette.core.regions.painting.brush import Brush, tip_picture
from evenpalette.core.regions.painting.dabs import ball_dab, flat_dab, follow_in_gutter, lay_down
from evenpalette.core.regions.painting.surface import PaintSurface

_MOST_BOXES = 64
#: How far beyond a dab texels on no face follow what was painted.
_GUTTER_TEXELS = 24


class Stroke:
    """A stroke on one region.

    planes: uint8 (height, width) by region id, the painted ones that the stroke may change; they are not touched, the
    changed copies are in `changed`. region: the one that is painted. protected: uint8, how far locked regions keep the
    stroke out. surface: for dabs on the model; without it the texture is a plain sheet.
    """

    def __init__(
        self, planes: Mapping[str, NDArray[np.uint8]], region: str, brush: Brush,
        surface: PaintSurface | None = None, protected: NDArray[np.uint8] | None = None,
    ) -> None:  # fmt: skip
        self.brush, self.region = brush, region
        self._surface, self._protected = surface, protected
        kept = planes if brush.takes_from_others and not brush.erases else {region: planes[region]}
        self._before = dict(kept)
        self.changed: dict[str, NDArray[np.uint8]] = {region: planes[region].copy()}
        self.deposit: NDArray[np.float32] = np.zeros(planes[region].shape, np.float32)
        self._chance = np.random.default_rng(brush.seed)
        self._boxes = np.zeros((_MOST_BOXES, 4), np.int64)

    def _measure(self, pressure: float, unit: float) -> tuple[float, float, float]:
        """Radii within which a dab is full and from which it is none, and its flow; at least a texel's soft edge."""
        brush = self.brush
        radius = max(0.5, brush.radius * (pressure if brush.pressure_sizes else 1.0))
        outer = radius + 0.5
        inner = min(brush.hardness * radius, radius - 0.5)
        return inner * unit, outer * unit, brush.flow * (pressure if brush.pressure_flows else 1.0)

    def _thrown(self) -> tuple[float, float, float]:
        """By chance: the dab's angle, and how far it is thrown aside in diameters."""
        angle = float(self._chance.uniform(0, 2 * np.pi)) if self.brush.turns else 0.0
        aside = self._chance.uniform(-1, 1, 2) * self.brush.scatter
        return angle, float(aside[0]), float(aside[1])

    def dab_flat(self, x: float, y: float, pressure: float = 1.0) -> list[Box]:
        """A dab in the texture at texel coordinates; returns the boxes of what changed."""
        angle, dx, dy = self._thrown()
        throw = 2 * self.brush.radius
        boxes = self._flat(x + dx * throw, y + dy * throw, pressure, angle)
        if self.brush.mirror and (other := self._mirrored_place(x, y)):
            boxes += self._flat(other[0] - dx * throw, other[1] + dy * throw, pressure, -angle)
        return self._lay(boxes, follow=False)

    def _flat(self, x: float, y: float, pressure: float, angle: float) -> list[Box]:
        inner, outer, flow = self._measure(pressure, 1.0)
        flat_dab(self.deposit, x, y, inner, outer, flow, angle, tip_picture(self.brush.tip))
        height, width = self.deposit.shape
        left, top = max(0, int(x - outer)), max(0, int(y - outer))
        right, bottom = min(width, int(x + outer) + 1), min(height, int(y + outer) + 1)
        return [(left, top, right, bottom)] if left < right and top < bottom else []

    def _mirrored_place(self, x: float, y: float) -> tuple[float, float] | None:
        """The texel (x, y) across the middle of the model, or of the texture where there is no model."""
        height, width = self.deposit.shape
        surface, axis = self._surface, self.brush.mirror
        if surface is None:
            return (width - x, y) if axis == "x" else (x, height - y)
        if not (0 <= x < width and 0 <= y < height):
            return None
        face = int(surface.texels.faces[int(y), int(x)])
        if face < 0:
            return None
        place = np.array([[x / width, y / height]])
        u, v = surface.place_on(
            int(surface.mirrored_faces(axis)[face]), surface.mirrored(surface.points(np.array([face]), place)[0], axis)
        )
        return u * width, v * height

    def dab_ball(self, face: int, point: NDArray[np.float64], pressure: float = 1.0) -> list[Box]:
        """A dab on the surface around a point (3,) of a face; returns the boxes of what changed, one for an island."""
        surface = self._surface
        assert surface is not None
        angle, dx, dy = self._thrown()
        boxes = self._ball(face, np.asarray(point, np.float64), pressure, angle, dx, dy)
        if self.brush.mirror:
            other = int(surface.mirrored_faces(self.brush.mirror)[face])
            boxes += self._ball(other, surface.mirrored(point, self.brush.mirror), pressure, -angle, -dx, dy)
        return self._lay(boxes, follow=True)

    def _ball(self, face: int, point: NDArray, pressure: float, angle: float, dx: float, dy: float) -> list[Box]:
        surface = self._surface
        assert surface is not None
        inner, outer, flow = self._measure(pressure, surface.units_per_texel)
        right, up = _tangents(surface.positions[surface.faces[face]], angle)
        throw = 2 * self.brush.radius * surface.units_per_texel
        center = point + (right * dx + up * dy) * throw
        surface.stamp += 1
        count = ball_dab(
            self.deposit, surface.positions, surface.faces, surface.uvs, surface.starts,
            surface.neighbors, surface.seen, surface.stamp, surface.queue, face, point,
            outer + float(np.linalg.norm(center - point)), center, inner, outer, flow, right, up,
            tip_picture(self.brush.tip), self._boxes,
        )  # fmt: skip
        return [(int(b[0]), int(b[1]), int(b[2]), int(b[3])) for b in self._boxes[:count]]

    def _lay(self, boxes: list[Box], follow: bool) -> list[Box]:
        """Bring the deposit in these boxes into the planes."""
        height, width = self.deposit.shape
        source = self._surface.gutter_source if self._surface is not None and follow else None
        wide = []
        for left, top, right, bottom in boxes:
            reach = 0 if source is None else _GUTTER_TEXELS
            box = (
                max(0, left - reach),
                max(0, top - reach),
                min(width, right + reach),
                min(height, bottom + reach),
            )
            for region in self._before:
                self._lay_in(region, (left, top, right, bottom), box, source)
            wide.append(box)
        return wide

    def _lay_in(self, region: str, box: Box, wide: Box, source: NDArray[np.int32] | None) -> None:
        before = self._before[region]
        if region not in self.changed:
            if not before[box[1] : box[3], box[0] : box[2]].any():
                return
            self.changed[region] = before.copy()
        after = self.changed[region]
        target = 255.0 if region == self.region and not self.brush.erases else 0.0
        protected = self._protected if self._protected is not None else before
        lay_down(self.deposit, before, after, target, protected, self._protected is not None, *box)
        if source is not None:
            follow_in_gutter(self.deposit, after, source, *wide)


def _tangents(corners: NDArray, angle: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Two unit vectors along a face, turned by an angle in radians."""
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    normal = normal / max(float(np.linalg.norm(normal)), 1e-30)
    helper = np.array([0.0, 1.0, 0.0]) if abs(normal[1]) < 0.9 else np.array([1.0, 0.0, 0.0])
    right = np.cross(helper, normal)
    right = right / max(float(np.linalg.norm(right)), 1e-30)
    up = np.cross(normal, right)
    return right * np.cos(angle) + up * np.sin(angle), up * np.cos(angle) - right * np.sin(angle)


def fill_jumps(
    points: NDArray[np.float64], faces: NDArray, shares: NDArray, step: float, longest: float
) -> tuple[NDArray[np.float64], NDArray, NDArray]:
    """Points (n, 3) on the surface with more put between those further apart than `step`, up to jumps of `longest`.

    Where the surface turns away, one pixel of the pointer is a long way on it; a longer jump leaps to another part.
    faces, shares: (n,) of each point; what is put in takes the face of the point before it.
    """
    gaps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    extra = np.where((gaps > step) & (gaps <= longest), np.ceil(gaps / max(step, 1e-12)) - 1, 0).astype(np.int64)
    if not extra.any():
        return points, faces, shares
    whole = np.repeat(np.arange(len(points)), np.concatenate([extra, [0]]) + 1)
    first = np.concatenate([[True], whole[1:] != whole[:-1]])
    starts = np.maximum.accumulate(np.where(first, np.arange(len(whole)), 0))
    part = (np.arange(len(whole)) - starts) / (np.concatenate([extra, [0]])[whole] + 1)
    after = np.minimum(whole + 1, len(points) - 1)
    mixed = points[whole] + (points[after] - points[whole]) * part[:, None]
    return mixed, faces[whole], shares[whole] + (shares[after] - shares[whole]) * part


class Spacer:
    """Chooses from the places a pointer passed those where a dab falls, so many units apart."""

    def __init__(self, step: float) -> None:
        self._step = max(step, 1e-9)
        self._last: NDArray[np.float64] | None = None
        self._walked = 0.0

    def choose(self, places: NDArray) -> list[int]:
        """Indices into places (n, k), which follow closely on each other and on those of the last call."""
        chosen = []
        for index, place in enumerate(np.asarray(places, np.float64)):
            if self._last is None:
                chosen.append(index)
            else:
                self._walked += float(np.linalg.norm(place - self._last))
                if self._walked >= self._step:
                    chosen.append(index)
                    self._walked = 0.0
            self._last = place
        return chosen
