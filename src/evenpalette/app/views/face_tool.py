"""Selecting faces on Form and Flat with the pointer."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt

from evenpalette.app.session import Session
from evenpalette.app.views.face_finder import FaceFinder
from evenpalette.core.dataclass import dataclass
from evenpalette.core.mesh import select

#: What one press takes: word in the window to its meaning.
REACHES = {
    "sweep": "Faces under a round brush", "face": "One face", "shell": "The connected piece of mesh",
    "island": "The connected piece of the UV layout", "group": "The material group",
    "vertex color": "All faces of about this vertex color", "smooth": "Spread until an edge is sharper than the angle",
    "direction": "All faces that look about the same way, within the angle",
}  # fmt: skip


@dataclass
class FaceTool:
    """How the pointer selects. Shift adds, Ctrl removes, both intersect; plain replaces.

    through: faces that Form does not show are taken too; what is picked on Flat is never hidden.
    """

    session: Session
    finder: FaceFinder
    active: bool = False
    reach: str = "sweep"
    radius_pixels: float = 24.0
    angle_degrees: float = 30.0
    color_tolerance: float = select.SAME_COLOR
    through: bool = False

    def __post_init__(self) -> None:
        self._before: NDArray[np.bool_] | None = None
        self._picked: NDArray[np.bool_] | None = None
        self._seen: NDArray[np.bool_] | None = None
        self._mode = "replace"

    @property
    def ready(self) -> bool:
        """Whether a press selects."""
        return self.active and self.session.state.mesh is not None

    def radius_at(self, place: QPointF) -> float:
        """Radius of the circle at the pointer in pixels, 0 for none."""
        return self.radius_pixels if self.reach == "sweep" else 0.0

    def press(self, place: QPointF, modifiers: Qt.KeyboardModifier, pressure: float | None = None) -> None:
        """Begin a pick or a sweep."""
        view = self.session.state.mesh
        assert view is not None
        shift = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        control = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        self._mode = "intersect" if shift and control else "add" if shift else "remove" if control else "replace"
        self._before = self.session.selection.faces.copy()
        self._picked = np.zeros(view.mesh.face_count, bool)
        self._seen = None if self.through or self.finder.is_on_flat(place) else self.finder.visible()
        self.drag(place)

    def drag(self, place: QPointF, pressure: float | None = None) -> None:
        """Go on with a sweep, or with a pick of what lies under the pointer now."""
        view = self.session.state.mesh
        if self._picked is None or self._before is None or view is None:
            return
        radius = self.radius_pixels if self.reach == "sweep" else 0.0
        found = self.finder.around(place, radius, through=self.through and self.reach == "sweep")
        if len(found):
            fresh = np.zeros(view.mesh.face_count, bool)
            fresh[found] = True
            wide = self._widened(fresh)
            self._picked |= wide if self._seen is None else wide & (self._seen | fresh)
        self.session.selection.select_faces(select.combine(self._before, self._picked, self._mode))

    def release(self) -> None:
        """The pick is done."""
        if self._picked is not None:
            self.session.selection.select_faces(self.session.selection.faces, f"Select faces: {self.reach}")
        self._before = self._picked = self._seen = None

    def _widened(self, picked: NDArray[np.bool_]) -> NDArray[np.bool_]:
        view = self.session.state.mesh
        assert view is not None
        if self.reach == "shell":
            return select.whole(picked, view.topology.shells)
        if self.reach == "island":
            return select.whole(picked, view.topology.islands)
        if self.reach == "group":
            return select.whole(picked, view.mesh.groups)
        if self.reach == "vertex color":
            return select.whole(picked, select.vertex_color_labels(view.mesh, self.color_tolerance))
        if self.reach == "smooth":
            return select.spread_by_angle(picked, view.mesh, view.topology, self.angle_degrees)
        if self.reach == "direction":
            return select.facing(view.mesh, view.mesh.face_normals()[picked].sum(0), self.angle_degrees)
        return picked
