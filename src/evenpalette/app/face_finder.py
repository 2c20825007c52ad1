"""Which faces lie under a spot of the views."""

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF

if TYPE_CHECKING:
    from evenpalette.app.views import TwinViews


class FaceFinder:
    """Reads faces off Form and Flat as they are drawn now."""

    def __init__(self, views: "TwinViews") -> None:
        self._views = views

    def is_on_flat(self, place: QPointF) -> bool:
        """Whether a spot of the widget is on Flat."""
        return self._views.flat_rect().contains(place.toPoint())

    def around(self, place: QPointF, radius: float, *, through: bool) -> NDArray[np.int64]:
        """Faces under a round spot of the widget: on Form those that show there (with `through` hidden ones too), on
        Flat those that lie there."""
        views = self._views
        view, scene = views.session.state.mesh, views.scene
        if view is None or scene is None or view.mesh.uvs is None:
            return np.empty(0, np.int64)
        if self.is_on_flat(place):
            return self._on_flat(place, radius)
        if through and radius > 0:
            rect = views.form_rect()
            pixels = views.camera.project_all(view.mesh.positions[view.mesh.faces].mean(1), rect.width(), rect.height())
            return np.flatnonzero(np.hypot(pixels[:, 0] - place.x(), pixels[:, 1] - place.y()) <= radius)
        ratio = views.devicePixelRatioF()
        reach = max(0, round(radius * ratio))
        height = views.device(views.form_rect())[3]
        x, y = int(place.x() * ratio), height - 1 - int(place.y() * ratio)
        views.makeCurrent()
        found = scene.faces_in(x - reach, y - reach, 2 * reach + 1, 2 * reach + 1)
        views.doneCurrent()
        if found.shape == (2 * reach + 1, 2 * reach + 1):
            v, u = np.mgrid[-reach : reach + 1, -reach : reach + 1]
            found = found[u * u + v * v <= reach * reach]
        return np.unique(found[found >= 0]).astype(np.int64)

    def _on_flat(self, place: QPointF, radius: float) -> NDArray[np.int64]:
        views = self._views
        view, flat = views.session.state.mesh, views.flat_rect()
        assert view is not None
        faces = view.faces_under_texels
        size = faces.shape[0]
        u, v = views.plane.to_uv(place.x() - flat.left(), place.y(), flat.width(), flat.height())
        reach = radius * views.plane.span / min(flat.width(), flat.height()) * size
        x, y = u * size, v * size
        left, right = max(0, int(x - reach)), min(size, int(x + reach) + 1)
        top, bottom = max(0, int(y - reach)), min(size, int(y + reach) + 1)
        if left >= right or top >= bottom:
            return np.empty(0, np.int64)
        rows, columns = np.mgrid[top:bottom, left:right]
        near = np.hypot(columns + 0.5 - x, rows + 0.5 - y) <= max(reach, 0.75)
        found = faces[top:bottom, left:right][near]
        return np.unique(found[found >= 0]).astype(np.int64)

    def visible(self) -> NDArray[np.bool_]:
        """The faces that Form shows from here, bool (F,)."""
        views = self._views
        view = views.session.state.mesh
        seen = np.zeros(view.mesh.face_count if view else 0, bool)
        if views.scene is not None and len(seen):
            _, _, width, height = views.device(views.form_rect())
            views.makeCurrent()
            shown = views.scene.faces_in(0, 0, width, height)
            views.doneCurrent()
            seen[np.unique(shown[(shown >= 0) & (shown < len(seen))])] = True
        return seen

    def count_hidden(self) -> int:
        """How many selected faces Form does not show from here."""
        chosen = self._views.session.faces
        return int((chosen & ~self.visible()).sum()) if chosen.any() else 0

    def look_at(self, face: int) -> None:
        """Take both views to a face."""
        view = self._views.session.state.mesh
        if view is not None and view.mesh.uvs is not None:
            u, v = view.mesh.uvs[face].mean(0)
            self._views.show_from(view.mesh.face_normals()[face], float(u), float(v))
