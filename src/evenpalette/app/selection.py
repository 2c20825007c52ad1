"""What is selected: a region, a step, one of its rows, faces of the mesh."""

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

if TYPE_CHECKING:
    from evenpalette.app.session import Session


class Selection(QObject):
    """What of a document is the subject, in every view and on every bench."""

    changed = pyqtSignal()
    faces_changed = pyqtSignal()

    def __init__(self, session: "Session") -> None:
        super().__init__(session)
        self._session = session
        self.region: str | None = None
        self.step: str | None = None
        #: The row of the step that is the subject of the bench; None is the first.
        self.row: str | None = None
        #: Selected faces, bool (F,), also while a sweep is under way; the history keeps them when it ends.
        self.faces: NDArray[np.bool_] = np.zeros(0, bool)

    def begin(self) -> None:
        """Another document: its first region, its first step. Nobody is told yet."""
        project = self._session.state.project
        regions, steps = project.regions.regions, project.recipe.steps
        self.region = regions[0].id if regions else None
        self.step = steps[0].id if steps else None
        self.row = self._row_of_region()
        self._fit_faces()

    def fit(self) -> None:
        """What the document no longer has is not selected any more."""
        project = self._session.state.project
        ids = self._session.state.region_ids
        if self.region not in ids:
            self.select_region(ids[0] if ids else None)
        steps = project.recipe.steps
        if self.step not in [s.id for s in steps]:
            self.select_step(steps[0].id if steps else None)
        step = project.recipe.step(self.step or "")
        if step is not None and step.row(self.row) is None:
            self.row = self._row_of_region()
        self._fit_faces()

    def select_region(self, region: str | None) -> None:
        """Make a region the subject everywhere."""
        if region != self.region:
            self.region = region
            step = self._session.state.project.recipe.step(self.step or "")
            if step is not None and any(region in (row.regions or ()) for row in step.rows):
                self.row = self._row_of_region()
            self.changed.emit()

    def next_region(self, offset: int) -> None:
        """Go on to another region, round the list."""
        ids = self._session.state.region_ids
        if ids:
            place = ids.index(self.region) if self.region in ids else 0
            self.select_region(ids[(place + offset) % len(ids)])

    def select_step(self, step: str | None) -> None:
        """Make a step the subject of the bench; of its rows the one with the selected region, else the first."""
        if step != self.step:
            self.step = step
            self.row = self._row_of_region()
            self.changed.emit()

    def select_row(self, row: str | None) -> None:
        """Make a row of the selected step the subject of the bench."""
        if row != self.row:
            self.row = row
            self.changed.emit()

    def _row_of_region(self) -> str | None:
        step = self._session.state.project.recipe.step(self.step or "")
        if step is None or not step.rows:
            return None
        row = step.row_with(self.region)
        return row.id if row is not None and len(step.rows) > 1 else step.rows[0].id

    def select_faces(self, faces: NDArray[np.bool_], label: str = "") -> None:
        """Make these the selected faces; with a label this can be undone, without one it is only shown for now."""
        if label and self._session.state.mesh is not None:
            kept = self._session.state.chosen
            if kept is None or len(kept) != len(faces) or not np.array_equal(kept, faces):
                self._session.commit(label, replace(self._session.state, chosen=faces))
        self.faces = faces
        self.faces_changed.emit()

    def _fit_faces(self) -> None:
        """Show the selection that the document's history keeps; it is of one mesh, another one begins with none."""
        view, kept = self._session.state.mesh, self._session.state.chosen
        count = view.mesh.face_count if view else 0
        faces = kept if kept is not None and len(kept) == count else np.zeros(count, bool)
        if len(self.faces) != count or not np.array_equal(self.faces, faces):
            self.select_faces(faces)
