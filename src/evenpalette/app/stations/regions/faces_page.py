"""Selecting faces and making regions of them: the part of the bench Regions that works on the mesh."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QWidget

from evenpalette.app.facets import ASSET, REGIONS
from evenpalette.app.session import Session
from evenpalette.app.timers import timer
from evenpalette.app.views import TwinViews
from evenpalette.app.views.face_tool import REACHES
from evenpalette.app.widgets.basics import button, caption, choice, label, row
from evenpalette.app.widgets.forms import slider
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.document.state import State
from evenpalette.core.edits import face_sets as edit
from evenpalette.core.mesh import select


class FacesPanel(QWidget):
    """The tool, what can be done to a selection, and where it goes."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._views = session, views
        self._last = -1
        tool = views.face_tool
        self.toggle = QCheckBox("Select faces (S)")
        self.toggle.setToolTip(
            "Left button selects on both views: Shift adds, Ctrl removes, both intersect. Right button turns Form"
        )
        self.toggle.toggled.connect(self._toggled)
        self._reach = choice(rows=[(word, word, tip) for word, tip in REACHES.items()])
        self._reach.currentTextChanged.connect(self._choose_reach)
        self._radius = self._slider(2, 120, " px", "radius_pixels", "Of the brush that sweeps")
        self._angle = self._slider(
            1, 180, "°", "angle_degrees", "Smooth spreads over edges up to it; direction and Facing look within it"
        )
        self._tolerance = self._slider(
            0, 200, "", "color_tolerance", "Vertex colors closer than this are one (8-bit RGB distance)"
        )
        self._through = QCheckBox("through")
        self._through.setToolTip("Takes faces too that Form does not show from here; else they are never taken")
        self._through.toggled.connect(lambda on: setattr(tool, "through", on))
        self._count = label("", "note")
        self._count.setAccessibleName("Selected faces")
        self._change = {
            text: button(text, action, tip=tip)
            for text, action, tip in (
                ("Grow", self._grow, "Add the faces beside the selection"),
                ("Shrink", self._shrink, "Take the rim off the selection"),
                ("Invert", self._invert, "Select what is not selected"),
                ("None", self._none, "Select nothing"),
                ("Facing", self._facing, "Select the faces that look toward you on Form, within the angle"),
                ("Unassigned", self._unassigned, "Select all faces in no region, hidden ones too"),
                ("Next", self.next_unassigned, "Take the views to the next face in no region (N)"),
            )
        }
        self._assign = button(
            "Assign",
            lambda: self._give(session.selection.region),
            "primary",
            "Give the selected faces to the selected region",
        )
        self._new = button("New region", lambda: self._give(None), tip="Make a region of the selected faces")
        first, second = list(self._change.values())[:4], list(self._change.values())[4:]
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(3)
        for line, (text, left, right) in enumerate((
            ("Picks", row(self._reach, self.toggle, self._through, None), row(*first, None, spacing=4)),
            ("Radius", self._radius, row(*second, None, spacing=4)),
            ("Angle", self._angle, self._count),
            ("Tolerance", self._tolerance, row(self._assign, self._new, None)),
        )):  # fmt: skip
            grid.addWidget(caption(text, left), line, 0)
            grid.addWidget(left, line, 1)
            grid.addWidget(right, line, 3)
        grid.setColumnMinimumWidth(2, 8)
        grid.setColumnStretch(1, 1)
        grid.setRowStretch(4, 1)
        self._timer = timer(self, 120)
        self._timer.timeout.connect(self._show_count)
        session.selection.faces_changed.connect(self._timer.start)
        session.selection.changed.connect(self.refresh)
        session.changed.connect(lambda f: self.refresh() if f & {ASSET, REGIONS} else None)
        self.refresh()

    def refresh(self) -> None:
        """Show what can be done now."""
        has_mesh = self._session.state.mesh is not None
        for widget in (self.toggle, self._reach, self._through, *self._change.values()):
            widget.setEnabled(has_mesh)
        self._show_sliders()
        self._timer.start()

    def _show_count(self) -> None:
        chosen = int(self._session.selection.faces.sum())
        if self._session.state.mesh is None:
            self._count.setText("Selecting faces needs a mesh")
        else:
            hidden = self._views.faces.count_hidden()
            self._count.setText(f"{chosen:,} faces selected, {hidden:,} of them hidden from here")
        self._assign_state(chosen > 0)

    def _assign_state(self, any_faces: bool) -> None:
        region = self._session.state.project.regions.find(self._session.selection.region or "")
        self._new.setEnabled(any_faces)
        self._assign.setEnabled(any_faces and region is not None and region.source.of_faces)

    def _toggled(self, on: bool) -> None:
        self._views.face_tool.active = on
        self._views.update()

    def _slider(self, low: float, high: float, unit: str, key: str, tip: str) -> ValueSlider:
        def taken(value: float) -> None:
            setattr(self._views.face_tool, key, value)
            self._views.update()

        return slider(low, high, getattr(self._views.face_tool, key), unit=unit, tip=tip, decimals=0, taken=taken)

    def _choose_reach(self, reach: str) -> None:
        self._views.face_tool.reach = reach
        self._show_sliders()

    def _show_sliders(self) -> None:
        view, reach = self._session.state.mesh, self._views.face_tool.reach
        self._radius.setEnabled(view is not None and reach == "sweep")
        self._angle.setEnabled(view is not None)
        self._tolerance.setEnabled(view is not None and view.mesh.colors is not None)

    def _select(self, faces: NDArray[np.bool_], text: str) -> None:
        self._session.selection.select_faces(faces, f"Select faces: {text}")

    def _grow(self) -> None:
        view = self._session.state.mesh
        if view is not None:
            self._select(select.grow(self._session.selection.faces, view.topology), "grow")

    def _shrink(self) -> None:
        view = self._session.state.mesh
        if view is not None:
            self._select(select.shrink(self._session.selection.faces, view.topology), "shrink")

    def _invert(self) -> None:
        self._select(~self._session.selection.faces, "invert")

    def _none(self) -> None:
        self._select(np.zeros_like(self._session.selection.faces), "none")

    def _facing(self) -> None:
        view, tool = self._session.state.mesh, self._views.face_tool
        if view is not None:
            found = select.facing(view.mesh, self._views.frame.camera.axes()[2], tool.angle_degrees)
            self._select(found if tool.through else found & self._views.faces.visible(), "facing")

    def _unassigned(self) -> None:
        self._select(edit.region_of_faces(self._session.state, self._session.selection.region) < 0, "unassigned")

    def next_unassigned(self) -> None:
        """Take the views to the next face in no region."""
        free = np.flatnonzero(edit.region_of_faces(self._session.state, self._session.selection.region) < 0)
        if not len(free):
            self._session.said.emit("Every face is in a region.", False)
            return
        later = free[free > self._last]
        self._last = int(later[0] if len(later) else free[0])
        self._views.faces.look_at(self._last)

    def _give(self, region: str | None) -> None:
        chosen = self._session.selection.faces.copy()
        found = self._session.state.project.regions.find(region or "")
        before = set(self._session.state.region_ids)
        home = self._session.state.project.regions.division_of(self._session.selection.region).id
        text = f"{int(chosen.sum()):,} faces to {found.name if found else 'a new region'}"

        def then() -> None:
            new = [r for r in self._session.state.region_ids if r not in before]
            if new:
                self._session.selection.select_region(new[0])

        def give(state: State) -> State:
            return replace(edit.assign_faces(state, chosen, region, home), chosen=None)

        self._session.run(text, lambda s, _: give(s), then)
