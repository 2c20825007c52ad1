"""Selecting faces and making regions of them: the part of the bench Regions that works on the mesh."""

import numpy as np
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QWidget

from evenpalette.app.face_tool import REACHES
from evenpalette.app.session import Session
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, column, label, row
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.mesh import select
from evenpalette.core.project.edits import faces as edit
from evenpalette.core.regions.model import FacesSource


class FacesPanel(QWidget):
    """The tool, what can be done to a selection, and where it goes."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._views = session, views
        self._last = -1
        self.setMaximumWidth(420)
        self.toggle = QCheckBox("Select faces (S)")
        self.toggle.setToolTip(
            "Left button selects on both views: Shift adds, Ctrl removes, both intersect. Right button turns Form"
        )
        self.toggle.toggled.connect(self._toggled)
        self._reach = QComboBox()
        for word, tip in REACHES.items():
            self._reach.addItem(word)
            self._reach.setItemData(self._reach.count() - 1, tip, 3)
        self._reach.currentTextChanged.connect(self._choose_reach)
        self._size = ValueSlider(2, 120, " px", decimals=0)
        self._size.set_value(views.face_tool.radius_pixels)
        self._size.edited.connect(self._set_size)
        self._through = QCheckBox("through")
        self._through.setToolTip("Take hidden faces under the brush too")
        self._through.toggled.connect(self._set_through)
        self._count = label("", "note")
        self._change = {
            text: button(text, action, tip=tip)
            for text, action, tip in (
                ("Grow", self._grow, "Add the faces beside the selection"),
                ("Shrink", self._shrink, "Take the rim off the selection"),
                ("Invert", self._invert, "Select what is not selected"),
                ("None", self._none, "Select nothing"),
                ("Facing", self._facing, "Select the faces that look toward you on Form, within 30 degrees"),
                ("Unassigned", self._unassigned, "Select all faces in no region"),
                ("Next", self._next, "Take the views to the next face in no region"),
            )
        }
        self._assign = button(
            "Assign", lambda: self._give(session.region), "primary", "Give the selected faces to the selected region"
        )
        self._new = button("New region", lambda: self._give(None), tip="Make a region of the selected faces")
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        for index, made in enumerate(self._change.values()):
            grid.addWidget(made, index // 4, index % 4)
        changes = QWidget()
        changes.setLayout(grid)
        layout = column(
            row(self.toggle, None, self._reach), row(self._size, self._through), self._count, changes,
            row(self._assign, self._new, None), None, spacing=5,
        )  # fmt: skip
        outer = QGridLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(layout)
        self._timer = QTimer(self, singleShot=True, interval=120)
        self._timer.timeout.connect(self._show_count)
        session.faces_changed.connect(self._timer.start)
        session.selection_changed.connect(self.refresh)
        session.changed.connect(lambda f: self.refresh() if f & {"asset", "regions"} else None)
        self.refresh()

    def refresh(self) -> None:
        """Show what can be done now."""
        has_mesh = self._session.state.mesh is not None
        for widget in (self.toggle, self._reach, self._size, self._through, *self._change.values()):
            widget.setEnabled(has_mesh)
        self._timer.start()

    def _show_count(self) -> None:
        chosen = int(self._session.faces.sum())
        if self._session.state.mesh is None:
            self._count.setText("Selecting faces needs a mesh")
        else:
            hidden = self._views.faces.count_hidden()
            self._count.setText(f"{chosen:,} faces selected, {hidden:,} of them hidden from here")
        self._assign_state(chosen > 0)

    def _assign_state(self, any_faces: bool) -> None:
        region = self._session.state.project.regions.find(self._session.region or "")
        self._new.setEnabled(any_faces)
        self._assign.setEnabled(any_faces and region is not None and isinstance(region.source, FacesSource))

    def _toggled(self, on: bool) -> None:
        self._views.face_tool.active = on
        self._views.update()

    def _choose_reach(self, reach: str) -> None:
        tool = self._views.face_tool
        tool.reach = reach
        smooth = reach == "smooth"
        self._size.unit = "°" if smooth else " px"
        self._size.set_range(1, 180) if smooth else self._size.set_range(2, 120)
        self._size.set_value(tool.angle_degrees if smooth else tool.radius_pixels)
        self._size.setVisible(reach in ("sweep", "smooth"))
        self._through.setVisible(reach == "sweep")

    def _set_size(self, value: float) -> None:
        tool = self._views.face_tool
        if tool.reach == "smooth":
            tool.angle_degrees = value
        else:
            tool.radius_pixels = value
        self._views.update()

    def _set_through(self, on: bool) -> None:
        self._views.face_tool.through = on

    def _grow(self) -> None:
        view = self._session.state.mesh
        if view is not None:
            self._session.select_faces(select.grow(self._session.faces, view.topology))

    def _shrink(self) -> None:
        view = self._session.state.mesh
        if view is not None:
            self._session.select_faces(select.shrink(self._session.faces, view.topology))

    def _invert(self) -> None:
        self._session.select_faces(~self._session.faces)

    def _none(self) -> None:
        self._session.select_faces(np.zeros_like(self._session.faces))

    def _facing(self) -> None:
        view = self._session.state.mesh
        if view is not None:
            self._session.select_faces(select.facing(view.mesh, self._views.camera.axes()[2], 30.0))

    def _unassigned(self) -> None:
        self._session.select_faces(edit.face_region_labels(self._session.state) < 0)

    def _next(self) -> None:
        free = np.flatnonzero(edit.face_region_labels(self._session.state) < 0)
        if not len(free):
            self._session.said.emit("Every face is in a region.", False)
            return
        later = free[free > self._last]
        self._last = int(later[0] if len(later) else free[0])
        self._views.faces.look_at(self._last)

    def _give(self, region: str | None) -> None:
        chosen = self._session.faces.copy()
        found = self._session.state.project.regions.find(region or "")
        before = set(self._session.state.region_ids)
        text = f"{int(chosen.sum()):,} faces to {found.name if found else 'a new region'}"

        def then() -> None:
            self._none()
            new = [r for r in self._session.state.region_ids if r not in before]
            if new:
                self._session.select_region(new[0])

        self._session.run(text, lambda s, _: edit.assign_faces(s, chosen, region), then)
