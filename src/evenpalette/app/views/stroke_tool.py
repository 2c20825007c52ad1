"""Painting coverages on Form and Flat with the pointer."""

import time
from collections import deque
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt

from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.timers import timer
from evenpalette.app.views.face_finder import FaceFinder
from evenpalette.app.views.tools import Drawing
from evenpalette.core.document.state import State
from evenpalette.core.edits.painting import why_not_paintable
from evenpalette.core.edits.strokes import OpenStroke, fill
from evenpalette.core.mesh.view import MeshView
from evenpalette.core.regions.painting.brush import Brush
from evenpalette.core.regions.painting.stroke import Spacer, fill_jumps
from evenpalette.core.regions.painting.stylus import SimulatedStylus
from evenpalette.core.regions.painting.surface import PaintSurface
from evenpalette.core.regions.painting.warm import load_kernels

#: Dabs are laid down for so long in one turn, then the window answers.
_TURN_SECONDS = 0.012
Place = tuple[int, NDArray[np.float64], float]


class StrokeTool:
    """Turns the pointer into strokes: round in the texture on Flat, a ball on the surface on Form.

    Shift draws a line from where the last stroke ended, Ctrl erases (or paints, where the brush erases).
    """

    def __init__(self, session: Session, drawing: Drawing, finder: FaceFinder) -> None:
        self._session, self._drawing, self._finder = session, drawing, finder
        self.active = False
        self.brush = Brush()
        #: 'brush', or what a click fills: 'island', 'shell', 'group', 'all'.
        self.action = "brush"
        #: A pointer without pressure presses as a simulated pen would.
        self.simulates_pen = False
        self._stylus = SimulatedStylus()
        self._surface: PaintSurface | None = None
        self._surface_of: tuple[MeshView | None, tuple[int, ...], str] | None = None
        self._stroke: OpenStroke | None = None
        self._spacer = Spacer(1.0)
        self._queue: deque[Place] = deque()
        self._places: tuple[NDArray[np.int32], NDArray[np.float32]] | None = None
        self._on_form = False
        self._last: tuple[QPointF, float] | None = None
        self._line_from: tuple[QPointF, bool] | None = None
        self._ends = False
        self._timer = timer(session, 0)
        self._timer.timeout.connect(self._work)

    @property
    def ready(self) -> bool:
        """Whether a press paints."""
        return self.active and bool(self._session.state.coverages)

    @property
    def is_down(self) -> bool:
        """Whether a stroke is under way."""
        return self._stroke is not None

    @property
    def has_dabs_left(self) -> bool:
        """Whether dabs wait to be laid down."""
        return bool(self._queue)

    @property
    def is_idle(self) -> bool:
        """Whether every dab is laid down and nothing is being prepared."""
        return self._stroke is None and not self._queue

    @property
    def is_prepared(self) -> bool:
        """Whether strokes on the surface can begin."""
        return self._surface_of == self._wanted_surface()

    def _shape(self) -> tuple[int, ...]:
        return next(iter(self._session.state.coverages.values())).shape

    def _wanted_surface(self) -> tuple[MeshView | None, tuple[int, ...], str]:
        return self._session.state.mesh, self._shape(), self.brush.mirror

    def prepare(self) -> None:
        """Make the surface ready off the window's thread, if it is not."""
        if not self.ready or self.is_prepared:
            return
        wanted = self._wanted_surface()
        view, shape, mirror = wanted
        if view is None or view.mesh.uvs is None:
            self._surface, self._surface_of = None, wanted
            return
        texels = view.texels((shape[0], shape[1]))
        held = self._surface if self._surface is not None and self._surface.texels is texels else None

        def work() -> PaintSurface:
            assert texels is not None
            load_kernels()
            return (held or PaintSurface(texels)).prepare(mirror)

        def done(surface: PaintSurface) -> None:
            self._surface, self._surface_of = surface, wanted
            self.prepare()

        def failed(error: Exception) -> None:
            self._session.said.emit(f"The surface cannot be painted on: {error}", True)

        self._session.tasks.start(Task("Preparing to paint", lambda _: work(), done, failed, exclusive=False))

    def radius_at(self, place: QPointF) -> float:
        """Radius in pixels of what a dab at a position covers."""
        if self.action != "brush" or not self._session.state.coverages:
            return 0.0
        frame = self._drawing.frame
        if frame.is_on_flat(place):
            return self.brush.radius / max(self._shape()) * frame.flat_scale
        return self.brush.radius * self._surface.units_per_texel * frame.form_scale if self._surface else 0.0

    # --- the pointer ---------------------------------------------------------------------------------------------

    def press(self, place: QPointF, modifiers: Qt.KeyboardModifier, pressure: float | None = None) -> None:
        """Begin a stroke, or fill; an unpaintable region is explained instead."""
        session = self._session
        region = session.state.project.regions.find(session.selection.region or "")
        reason = why_not_paintable(region)
        if reason:
            session.said.emit(reason, True)
            return
        if not self.is_prepared:
            self.prepare()
            session.said.emit("The surface is being made ready for painting. Try again in a moment.", False)
            return
        if self._stroke is not None:
            self._finish()
        erases = self.brush.erases != bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        if self.action != "brush":
            self._fill(place, erases)
            return
        assert region is not None
        brush = replace(self.brush, erases=erases, seed=session.history.position + 1)
        self._stroke = OpenStroke(session.state, region.id, brush, self._surface)
        self._on_form = self._drawing.frame.is_on_form(place)
        self._places = None
        unit = 1.0
        if self._on_form:
            unit = self._surface.units_per_texel if self._surface else 0.0
            self._places = self._drawing.places()
        self._spacer = Spacer(brush.spacing * 2 * brush.radius * unit)
        self._ends = False
        self._show(self._stroke)
        self._stylus.lift()
        line = bool(modifiers & Qt.KeyboardModifier.ShiftModifier) and self._line_from is not None
        if line and self._line_from is not None and self._line_from[1] == self._on_form:
            self._last = (self._line_from[0], 1.0)
        else:
            self._last = None
        self.drag(place, pressure if not line else 1.0)

    def drag(self, place: QPointF, pressure: float | None = None) -> None:
        """Go on with the stroke."""
        if self._stroke is None:
            return
        if pressure is None:
            now = time.monotonic() * 1000
            pressure = self._stylus.pressure(place.x(), place.y(), now) if self.simulates_pen else 1.0
        start, from_pressure = self._last or (place, pressure)
        self._last = (place, pressure)
        self._line_from = (place, self._on_form)
        self._queue.extend(self._between(start, place, from_pressure, pressure))
        self._work()

    def release(self) -> None:
        """The pointer is lifted; what is left of the stroke is laid down and becomes one change."""
        if self._stroke is not None:
            self._ends = True
            self._work()

    def _between(self, start: QPointF, end: QPointF, first: float, last: float) -> list[Place]:
        """The dabs from one position of the pointer to the next."""
        length = float(np.hypot(end.x() - start.x(), end.y() - start.y()))
        frame = self._drawing.frame
        if not self._on_form:
            texel = frame.flat_scale / max(self._shape())
            fine = max(1.0, self.brush.spacing * self.brush.radius / 4)
            shares = np.linspace(0, 1, max(2, int(length / texel / fine) + 2))
            height, width = self._shape()
            uv = np.array([frame.uv_on_flat(place) for place in (start, end)])
            points = (uv[0] + (uv[1] - uv[0]) * shares[:, None]) * (width, height)
            faces = np.full(len(points), -1, np.int64)
        else:
            found = self._on_surface(start, end, max(2, int(length * 2) + 2))
            if found is None:
                return []
            shares, faces, points = found
        return [
            (int(faces[i]), points[i], first + (last - first) * float(shares[i])) for i in self._spacer.choose(points)
        ]

    def _on_surface(self, start: QPointF, end: QPointF, count: int) -> tuple[NDArray, NDArray, NDArray] | None:
        if self._places is None or self._surface is None:
            return None
        face_at, uv_at = self._places
        ratio, shares = self._drawing.frame.ratio, np.linspace(0, 1, count)
        x = ((start.x() + (end.x() - start.x()) * shares) * ratio).astype(int)
        y = face_at.shape[0] - 1 - ((start.y() + (end.y() - start.y()) * shares) * ratio).astype(int)
        inside = (x >= 0) & (y >= 0) & (x < face_at.shape[1]) & (y < face_at.shape[0])
        x, y, shares = x[inside], y[inside], shares[inside]
        faces = face_at[y, x]
        hit = faces >= 0
        if not hit.any():
            return None
        points = self._surface.points(faces[hit], uv_at[y[hit], x[hit]].astype(np.float64))
        radius = self.brush.radius * self._surface.units_per_texel
        points, on, parts = fill_jumps(points, faces[hit], shares[hit], self.brush.spacing * 2 * radius, 4 * radius)
        return parts, on, points

    # --- laying down ---------------------------------------------------------------------------------------------

    def _work(self) -> None:
        """Lay down dabs for a short while; the rest in the next turn."""
        stroke, end = self._stroke, time.monotonic() + _TURN_SECONDS
        if stroke is None:
            return
        boxes = []
        while self._queue and time.monotonic() < end:
            boxes += stroke.dab(*self._queue.popleft())
        self._show(stroke)
        if boxes:
            self._drawing.patch_live(stroke.regions, boxes)
        if self._queue:
            self._timer.start()
        elif self._ends:
            self._finish()

    def _show(self, stroke: OpenStroke) -> None:
        """The views show the stroke's copies of the planes from now on; where they differ is told by patches."""
        if copies := stroke.newly_changed():
            self._drawing.show_live(stroke.so_far, copies)

    def _finish(self) -> None:
        stroke = self._stroke
        self._stroke = self._places = None
        self._queue.clear()
        assert stroke is not None
        if not stroke.is_empty or not stroke.holds_for(self._session.state):
            self._session.apply(stroke.label, stroke.ended)
        self._drawing.show_live(None)

    def _fill(self, place: QPointF, erases: bool) -> None:
        view, session = self._session.state.mesh, self._session
        found = self._finder.around(place, 0.0, through=False)
        region_id, extent = session.selection.region or "", self.action
        if view is None or not len(found):
            session.said.emit("Click on a face to fill what it belongs to.", True)
            return
        texels = view.texels((self._shape()[0], self._shape()[1]))
        assert texels is not None
        takes = self.brush.takes_from_others

        def edit(state: State) -> State:
            return fill(state, region_id, texels, int(found[0]), extent, erases=erases, takes=takes)

        session.run(f"{'Empty' if erases else 'Fill'} {extent}", lambda s, _: edit(s))
