"""Which faces lie under a spot of the views."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF

from evenpalette.app.session import Session
from evenpalette.app.views.tools import Drawing
from evenpalette.core.mesh.view import MeshView


class FaceFinder:
    """Reads faces off Form and Flat as they are drawn now."""

    def __init__(self, session: Session, drawing: Drawing) -> None:
        self._session, self._drawing = session, drawing

    def is_on_flat(self, place: QPointF) -> bool:
        """Whether a spot of the widget is on Flat."""
        return self._drawing.frame.is_on_flat(place)

    def around(self, place: QPointF, radius: float, *, through: bool) -> NDArray[np.int64]:
        """Faces under a round spot of the widget: on Form those that show there (with `through` hidden ones too), on
        Flat those that lie there."""
        frame, view = self._drawing.frame, self._session.state.mesh
        if view is None or view.mesh.uvs is None:
            return np.empty(0, np.int64)
        if self.is_on_flat(place):
            return self._on_flat(view, place, radius)
        if through and radius > 0:
            pixels = frame.places_on_form(view.mesh.positions[view.mesh.faces].mean(1))
            return np.flatnonzero(np.hypot(pixels[:, 0] - place.x(), pixels[:, 1] - place.y()) <= radius)
        reach = max(0, round(radius * frame.ratio))
        x, y = frame.form_pixel(place)
        found = self._drawing.faces_in(x - reach, y - reach, 2 * reach + 1, 2 * reach + 1)
        if found is None:
            return np.empty(0, np.int64)
        if found.shape == (2 * reach + 1, 2 * reach + 1):
            v, u = np.mgrid[-reach : reach + 1, -reach : reach + 1]
            found = found[u * u + v * v <= reach * reach]
        return np.unique(found[found >= 0]).astype(np.int64)

    def _on_flat(self, view: MeshView, place: QPointF, radius: float) -> NDArray[np.int64]:
        frame, faces = self._drawing.frame, view.faces_under_texels
        size = faces.shape[0]
        u, v = frame.uv_on_flat(place)
        reach = radius / frame.flat_scale * size
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
        view, frame = self._session.state.mesh, self._drawing.frame
        seen = np.zeros(view.mesh.face_count if view else 0, bool)
        if len(seen):
            _, _, width, height = frame.device(frame.form)
            shown = self._drawing.faces_in(0, 0, width, height)
            if shown is not None:
                seen[np.unique(shown[(shown >= 0) & (shown < len(seen))])] = True
        return seen

    def count_hidden(self) -> int:
        """How many selected faces Form does not show from here."""
        chosen = self._session.selection.faces
        return int((chosen & ~self.visible()).sum()) if chosen.any() else 0

    def look_at(self, face: int) -> None:
        """Take both views to a face."""
        view = self._session.state.mesh
        if view is not None and view.mesh.uvs is not None:
            u, v = view.mesh.uvs[face].mean(0)
            self._drawing.look_from(view.mesh.face_normals()[face], float(u), float(v))
