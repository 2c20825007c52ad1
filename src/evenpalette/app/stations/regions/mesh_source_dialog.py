"""Regions from vertex colors, of the mesh or of another one: how alike is one color, how near is the same place."""

from pathlib import Path

import numpy as np
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from evenpalette.app.session import Session
from evenpalette.app.stations.regions.into import IntoBox
from evenpalette.app.widgets.basics import label
from evenpalette.app.widgets.forms import ending, form, slider
from evenpalette.core.color.flag_plan import MAX_FLAGS
from evenpalette.core.document.state import State
from evenpalette.core.edits import face_sets as edit
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.select import SAME_COLOR, vertex_color_labels
from evenpalette.core.parallel import Progress
from evenpalette.core.regions.dividing.transfer import check_same_place


class MeshSourceDialog(QDialog):
    """Asks for a tolerance of vertex colors and, with another mesh, for a distance; says what that gives."""

    def __init__(self, session: Session, parent: QWidget, other: Mesh | None = None) -> None:
        super().__init__(parent)
        view = session.state.mesh
        assert view is not None
        self._session, self._other = session, other
        self._colored = other if other is not None else view.mesh
        self.setWindowTitle("Regions of another mesh" if other else "Regions from vertex colors")
        self.setMinimumWidth(460)
        low, high = view.mesh.bounds
        size = float(np.linalg.norm(high - low))
        self.tolerance = slider(
            0, 200, SAME_COLOR, decimals=0, taken=lambda _: self._count(),
            tip="Colors closer than this are one (8-bit RGB distance); noise disappears in it",
        )  # fmt: skip
        self.within = slider(
            0, 0.1 * size, 0.01 * size, decimals=4, curve=2.0,
            tip="Farther than this from the other mesh a face stays unassigned (units of the mesh)",
        )  # fmt: skip
        self.outcome = label("", "note")
        self.outcome.setWordWrap(True)
        division = session.state.project.regions.division_of(session.selection.region)
        made_of_faces = any(region.source.kind == "faces" for region in division.regions)
        name = "Other mesh" if other is not None else "Vertex colors"
        self.into = IntoBox(session, name, "replace" if made_of_faces else "new")
        self._buttons, self.make = ending(self, "Make regions", self.take, stays=True)
        layout = QVBoxLayout(self)
        layout.addLayout(form(
            ("Color tolerance", self.tolerance) if self._colored.colors is not None else None,
            ("Distance", self.within) if other is not None else None,
            ("Put them", self.into) if self.into.is_needed else None,
        ))  # fmt: skip
        layout.addWidget(self.outcome)
        layout.addWidget(self._buttons)
        self._count()

    def _count(self) -> None:
        """Say how many regions there would be, or why there cannot be any."""
        view = self._session.state.mesh
        assert view is not None
        assert self.make is not None
        try:
            if self._other is not None:
                check_same_place(view.mesh, self._other)
        except EvenPaletteError as error:
            self.outcome.setText(str(error))
            self.make.setEnabled(False)
            return
        mesh = self._colored
        if mesh.colors is None:
            count, what = len(mesh.group_names), "material groups"
        else:
            count, what = int(vertex_color_labels(mesh, self.tolerance.value).max()) + 1, "colors"
        self.make.setEnabled(count <= MAX_FLAGS)
        more = "" if count <= MAX_FLAGS else f", {MAX_FLAGS} are possible. Raise the tolerance"
        self.outcome.setText(f"{mesh.name} has {count:,} {what}{more}.")

    def take(self) -> None:
        """Make the regions; one change that can be undone."""
        other, tolerance, within, said = self._other, self.tolerance.value, self.within.value, [""]
        into, before = self.into.into, set(self._session.state.region_ids)

        def work(state: State, _: Progress) -> State:
            if other is None:
                return edit.regions_from_mesh(state, "vertex-color", tolerance, into)
            made, moved = edit.regions_from_other(state, other, within, tolerance, into)
            said[0] = (
                f" The farthest match is {moved.farthest:.3g} units away; "
                f"{moved.missed:,} faces have nothing near and stay unassigned."
            )
            return made

        def then() -> None:
            count = len(set(self._session.state.region_ids) - before)
            self.outcome.setText(f"Made {count} regions.{said[0]}")

        name = Path(other.name).name if other else "vertex colors"
        self._session.run(f"Regions of {name}", work, then)
