"""The twin views: Form, the lit model, and Flat, the texture plane, side by side with one pointer.

One OpenGL widget draws both, so a moved slider reaches both in one repaint.
"""

import time
from collections.abc import Callable, Sequence
from dataclasses import replace

import moderngl
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPointF, QRect, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QResizeEvent, QTabletEvent, QWheelEvent
from PyQt6.QtOpenGLWidgets import QOpenGLWidget
from PyQt6.QtWidgets import QWidget

from evenpalette.app import view_marks as marks
from evenpalette.app.face_finder import FaceFinder
from evenpalette.app.face_tool import FaceTool
from evenpalette.app.picture_queue import PictureQueue
from evenpalette.app.session import Session
from evenpalette.app.stages import Stages
from evenpalette.app.stroke_tool import StrokeTool
from evenpalette.app.view_headers import DEFAULTS, HEADER, NOTHING, PAINTED, ViewHeaders
from evenpalette.core.mesh.uv_raster import barycentric
from evenpalette.core.project.edits.variants import find
from evenpalette.core.project.state import State
from evenpalette.core.regions.painting.stroke import Box
from evenpalette.core.values import ValueType
from evenpalette.gpu.camera import OrbitCamera, PlaneView
from evenpalette.gpu.look import Look, Show
from evenpalette.gpu.scene import SceneRenderer


class TwinViews(QOpenGLWidget):
    """Form on the left, Flat on the right, a movable line between."""

    hovered = pyqtSignal(object)
    painted = pyqtSignal()

    #: Another copy is shown.
    copy_changed = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setMinimumSize(480, 260)
        self.setAccessibleName("Form and Flat")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.camera = OrbitCamera()
        self.plane = PlaneView()
        self.split = 0.5
        self.wipe = 0.5
        self.against = NOTHING
        self.focus_region = -1
        self.step_limit: int | None = None
        self.alone = False
        self.pointer: tuple[float, float] | None = None
        self.scene: SceneRenderer | None = None
        self._drag: str | None = None
        self._drag_from = QPointF()
        self._moved = False
        self._pick: Callable[[str], None] | None = None
        self.pictures = PictureQueue(self)
        self._upload_timer = QTimer(self, singleShot=True, interval=5)
        self._upload_timer.timeout.connect(self._continue_uploads)
        self._stale = True
        self._framed: object = None
        self._chosen_stale = True
        self._brush: QPointF | None = None
        self.faces = FaceFinder(self)
        self.face_tool, self.stroke_tool = FaceTool(session, self.faces), StrokeTool(session, self)
        self._preview: State | None = None
        self._patches: list[tuple[set[str], Box]] = []
        self._copies: list[tuple[NDArray, NDArray]] = []
        self.headers = ViewHeaders(self)
        self.form_stage, self.flat_stage = self.headers.form_stage, self.headers.flat_stage
        self.lit, self.lines = self.headers.lit, self.headers.lines
        self.seconds, self._clock_began = 0.0, 0.0
        self._clock = QTimer(self, interval=33)
        self._clock.timeout.connect(self._run_clock)
        self.headers.clock.toggled.connect(self._set_clock)
        self.headers.copy.valueChanged.connect(lambda _: self.copy_changed.emit())
        self.copy_changed.connect(self.update)
        self.headers.against_box.activated.connect(
            lambda _: self.set_against(str(self.headers.against_box.currentData()))
        )
        self.stages, self._station = Stages(), session.station
        self.headers.show_overlay(session.station == "regions")
        self._fill_against()
        self._fill_headers()
        session.station_changed.connect(self._on_station)
        session.changed.connect(self._on_change)
        session.selection_changed.connect(self.update)
        session.go_to.connect(self.look_at)
        session.faces_changed.connect(self._on_faces)

    # --- what is shown -------------------------------------------------------------------------------------------

    @property
    def copy(self) -> int:
        """Number of the copy that is shown."""
        return int(self.headers.copy.value())

    def look(self, stage: Show | str, *, lit: bool = True) -> Look:
        """What a view shows of the active variant: a stage, or an attribute by its key."""
        session = self.session
        ids = session.state.region_ids
        region = ids.index(session.region) if session.region in ids else -1
        attribute = stage if isinstance(stage, str) else ""
        show = Show.ATTRIBUTE if attribute else stage if isinstance(stage, Show) else Show.RECIPE
        return Look(
            show, session.state.project.active_variant, self.step_limit, self.alone, region, self.focus_region, lit,
            attribute, self.copy, self.seconds, self._overlay(show),
        )  # fmt: skip

    def _overlay(self, show: Show) -> float:
        """How strong regions are laid over: while they are made, and not over what shows them already."""
        if self.session.station != "regions" or show in (Show.ID, Show.COVERAGE, Show.DIFFERENCE):
            return 0.0
        return float(self.headers.overlay.value()) / 100

    def _on_station(self, station: str) -> None:
        """Show what the station's work needs, or what was chosen there before."""
        self.stages.keep(self._station, self.form_stage.currentData(), self.flat_stage.currentData())
        self._station = station
        for box, stage in zip((self.form_stage, self.flat_stage), self.stages.of(station, self.session.state), strict=True):
            box.setCurrentIndex(max(0, box.findData(stage)))
        self.headers.show_overlay(station == "regions")
        self.update()

    def _run_clock(self) -> None:
        """Time goes on while the clock runs."""
        self.seconds = time.monotonic() - self._clock_began
        self.update()

    def _set_clock(self, runs: bool) -> None:
        self._clock_began = time.monotonic() - self.seconds
        if runs:
            self._clock.start()
        else:
            self._clock.stop()
            self.seconds = 0.0
            self.update()

    def _looks(self, stage: Show | str, *, lit: bool) -> list[tuple[Look, float]]:
        first = self.look(stage, lit=lit)
        if self.against == NOTHING:
            return [(first, 1.0)]
        if self.against == PAINTED:
            other = replace(first, show=Show.PAINTED)
        else:
            other = replace(first, variant=None if self.against == DEFAULTS else self.against)
        return [(first, self.wipe), (other, 1.0)]

    def set_against(self, against: str) -> None:
        """Compare with 'painted', 'defaults', a variant's id, or nothing ('')."""
        self.against = against
        self.headers.show_against(against)
        self._place_children()
        self.update()

    def toggle_compare(self) -> None:
        """Compare with the painted original, or with nothing."""
        self.set_against(NOTHING if self.against else PAINTED)

    def show_steps(self, limit: int | None, alone: bool) -> None:
        """Show the asset after so many steps (None is all), or only the last of them."""
        self.step_limit, self.alone = limit, alone
        self.update()

    def set_focus_region(self, index: int) -> None:
        """Dim all but one region; -1 is none."""
        if index != self.focus_region:
            self.focus_region = index
            self.update()

    def look_at(self, u: float, v: float) -> None:
        """Bring a texel to the middle of Flat and mark it."""
        self.plane = PlaneView((u, v), min(self.plane.span, 0.35))
        self.set_pointer((u, v))

    def frame_all(self) -> None:
        """Show the whole model and the whole texture."""
        mesh = self.session.state.mesh
        if mesh is not None:
            self.camera = OrbitCamera.around(*mesh.mesh.bounds)
        self.plane = PlaneView()
        self.update()

    def set_pointer(self, uv: tuple[float, float] | None) -> None:
        """The spot that both views mark and the probe reads."""
        if uv != self.pointer:
            self.pointer = uv
            self.hovered.emit(uv)
            self.update()

    def start_pick(self, callback: Callable[[str], None]) -> None:
        """The next click on a view gives the color that is shown there."""
        self._pick = callback
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.session.said.emit("Click on a view to take its color; Esc to stop", False)

    def _on_faces(self) -> None:
        self._chosen_stale = True
        self.update()

    def show_from(self, normal: NDArray[np.float32], u: float, v: float) -> None:
        """Turn Form so that a face with this normal is in front, and bring a texel to the middle of Flat."""
        yaw = float(np.degrees(np.arctan2(normal[0], normal[2])))
        pitch = float(np.clip(np.degrees(np.arcsin(np.clip(normal[1], -1, 1))), -80, 80))
        self.camera = replace(self.camera, yaw=yaw, pitch=pitch)
        self.look_at(u, v)

    def _stop_pick(self) -> None:
        self._pick = None
        self.unsetCursor()

    def _on_change(self, facets: frozenset[str]) -> None:
        self._stale = True
        if facets >= {"asset", "variants", "name"}:
            self.against = NOTHING
            self.step_limit, self.alone = None, False
            self.stages.forget()
        whole = self.session.state.mesh.whole if self.session.state.mesh is not None else None
        if whole is not self._framed:
            self._framed = whole
            self.frame_all()
        if facets & {"variants", "asset", "active"}:
            self._fill_against()
        if facets & {"recipe", "asset", "regions", "values"}:
            self._fill_headers()
        self._place_children()
        self.update()

    def _fill_headers(self) -> None:
        """Offer the attributes, the copy and the clock that the recipe gives a reason for."""
        state = self.session.state
        bindings = [b for step in state.project.recipe.steps for b in step.bindings]
        copies = any(binding.pick is not None for binding in bindings)
        placed = [str(b.value) for b in bindings if isinstance(b.value, str)]
        placed += [str(p.default) for p in state.project.recipe.parameters if p.type is ValueType.PLACEMENT]
        moves = any("drift=" in text for text in placed)
        self.headers.fill_stages(state.attributes)
        self.headers.show_moment(copies=copies, moves=moves)
        if not copies:
            self.headers.copy.setValue(0)
        if not moves:
            self.headers.clock.setChecked(False)

    def _fill_against(self) -> None:
        """Offer what there is to compare with; what is gone is not compared with any more."""
        if not self.headers.fill_against(self.session.state.project.variants, self.against):
            self.against = NOTHING

    # --- drawing -------------------------------------------------------------------------------------------------

    def initializeGL(self) -> None:
        self.scene = SceneRenderer(moderngl.create_context())
        self._stale = True

    def _continue_uploads(self) -> None:
        """Large textures go to the GPU in short pieces, so that the window answers in between."""
        if self.scene is None:
            return
        self.makeCurrent()
        arrived = self.scene.continue_uploads(0.04)
        waiting = self.scene.is_waiting
        self.doneCurrent()
        if arrived:
            self.update()
        if waiting:
            self._upload_timer.start()

    def bring_up_to_date(self) -> None:
        """Hand a changed document to the scene. Needs the context."""
        if self.scene is None:
            return
        if self._stale:
            self.scene.set_state(self._preview or self.session.state)
            self._stale = False
        for old, new in self._copies:
            self.scene.adopt(old, new)
        self._copies.clear()
        if self._patches:
            regions, boxes = set().union(*(r for r, _ in self._patches)), [box for _, box in self._patches]
            self.scene.patch_coverages(regions, boxes)
            self._patches.clear()

    def show_live(self, state: State | None, copies: Sequence[tuple[NDArray, NDArray]] = ()) -> None:
        """Draw this state instead of the document's, while a stroke is under way; None ends it.

        copies: planes of it that are copies of planes drawn so far, (old, new); where they differ `patch_live` tells.
        """
        self._preview, self._stale = state, True
        self._copies += copies
        self.update()

    def patch_live(self, regions: set[str], boxes: list[Box]) -> None:
        """Texels of coverages of the live state changed in place."""
        self._patches += [(regions, box) for box in boxes]
        self.update()

    def places(self) -> tuple[NDArray[np.int32], NDArray[np.float32]] | None:
        """Face and (u, v) of every device pixel of Form as it is drawn now, rows from the bottom."""
        if self.scene is None:
            return None
        self.makeCurrent()
        found = self.scene.places()
        self.doneCurrent()
        return found

    @property
    def tool(self) -> FaceTool | StrokeTool | None:
        """What the left button works with instead of turning and moving."""
        return next((tool for tool in (self.stroke_tool, self.face_tool) if tool.ready), None)

    def form_rect(self) -> QRect:
        """The part of the widget that Form fills, logical pixels."""
        return QRect(0, 0, round(self.width() * self.split), self.height())

    def flat_rect(self) -> QRect:
        """The part of the widget that Flat fills, logical pixels."""
        left = round(self.width() * self.split) + 2
        return QRect(left, 0, self.width() - left, self.height())

    def device(self, rect: QRect) -> tuple[int, int, int, int]:
        """A rectangle in device pixels with its origin at the bottom left."""
        ratio = self.devicePixelRatioF()
        height = round(self.height() * ratio)
        x, y = round(rect.x() * ratio), round(rect.y() * ratio)
        w, h = round(rect.width() * ratio), round(rect.height() * ratio)
        return x, height - y - h, max(1, w), max(1, h)

    def paintGL(self) -> None:
        scene = self.scene
        if scene is None:
            return
        self.bring_up_to_date()
        if self._chosen_stale:
            scene.set_selection(np.flatnonzero(self.session.faces))
            self._chosen_stale = False
        target = scene.ctx.detect_framebuffer(self.defaultFramebufferObject())
        scene.clear(target)
        form_stage, flat_stage = self.form_stage.currentData(), self.flat_stage.currentData()
        scene.draw_form(
            target, self.device(self.form_rect()), self.camera, self._looks(form_stage, lit=self.lit.isChecked())
        )
        state = self.session.state
        has_picture = bool(state.project.asset.textures) or bool(state.coverages) or scene.has_model
        if has_picture:
            scene.draw_flat(
                target, self.device(self.flat_rect()), self.plane, self._looks(flat_stage, lit=False),
                lines=self.lines.isChecked(),
            )  # fmt: skip
        self._paint_over()
        if scene.is_waiting and not self._upload_timer.isActive():
            self._upload_timer.start()
        self.painted.emit()

    def _paint_over(self) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        form, flat = self.form_rect(), self.flat_rect()
        marks.draw_divide(painter, form.right() + 1, self.height())
        if self.against:
            for rect in (form, flat):
                marks.draw_wipe(painter, rect.left() + rect.width() * self.wipe, HEADER + 4, self.height() - 10)
        if self.tool is not None and self._brush is not None:
            marks.draw_brush(painter, self._brush, self.tool.radius_at(self._brush))
        if self.pointer is not None:
            x, y = self.plane.to_pixel(*self.pointer, flat.width(), flat.height())
            marks.draw_spot(painter, flat, flat.left() + x, y)
            place = self._form_place(*self.pointer)
            if place is not None:
                marks.draw_spot(painter, form, *place)
        painter.end()

    def _form_place(self, u: float, v: float) -> tuple[float, float] | None:
        """Where a texel is on Form, or None where it is hidden or on no face."""
        view, scene = self.session.state.mesh, self.scene
        if view is None or view.mesh.uvs is None or scene is None or not view.is_ready:
            return None
        faces = view.faces_under_texels
        size = faces.shape[0]
        face = faces[min(size - 1, max(0, int(v * size))), min(size - 1, max(0, int(u * size)))]
        if face < 0:
            return None
        weights = barycentric(view.mesh.uvs[face], np.array([u, v]))
        point = (view.mesh.positions[view.mesh.faces[face]] * weights[:, None]).sum(0)
        rect = self.form_rect()
        x, y = self.camera.project(point, rect.width(), rect.height())
        shown = self._uv_under(x, y)
        hidden = shown is None or abs(shown[0] - u) + abs(shown[1] - v) > 0.03
        return None if hidden else (x, y)

    def _uv_under(self, x: float, y: float) -> tuple[float, float] | None:
        """The texel that Form shows at a logical pixel. Needs the context."""
        ratio = self.devicePixelRatioF()
        height = self.device(self.form_rect())[3]
        return self.scene.uv_at(int(x * ratio), height - 1 - int(y * ratio)) if self.scene else None

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place_children()

    def _place_children(self) -> None:
        names = {NOTHING: "", PAINTED: "Painted original", DEFAULTS: "Defaults"}
        state = self.session.state
        other, active = find(state, self.against), find(state, state.project.active_variant)
        compared = active.name if active else "Defaults", other.name if other else names.get(self.against, "")
        has_model = state.mesh is not None
        is_empty = not has_model and not state.project.asset.textures and not state.coverages
        self.headers.show_hints(form=not has_model, flat=is_empty)
        self.headers.place(self.form_rect(), self.flat_rect(), self.wipe, compared if self.against else None)

    # --- the pointer ---------------------------------------------------------------------------------------------

    def uv_under(self, place: QPointF) -> tuple[float, float] | None:
        """The texel under a position of the widget, in either view."""
        flat = self.flat_rect()
        if flat.contains(place.toPoint()):
            u, v = self.plane.to_uv(place.x() - flat.left(), place.y(), flat.width(), flat.height())
            return (u, v) if 0 <= u <= 1 and 0 <= v <= 1 else None
        if self.scene is None or not self.form_rect().contains(place.toPoint()):
            return None
        self.makeCurrent()
        found = self._uv_under(place.x(), place.y())
        self.doneCurrent()
        return (found[0] % 1.0, found[1] % 1.0) if found else None

    def _on_wipe(self, place: QPointF) -> bool:
        if not self.against:
            return False
        return any(
            abs(place.x() - (r.left() + r.width() * self.wipe)) < 8 for r in (self.form_rect(), self.flat_rect())
        )

    def _on_split(self, place: QPointF) -> bool:
        return abs(place.x() - self.form_rect().right() - 1) < 5

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        place = event.position()
        if self._pick is not None:
            if event.button() == Qt.MouseButton.LeftButton:
                self.set_pointer(self.uv_under(place))
                color = self.grab_color(place)
                callback = self._pick
                self._stop_pick()
                callback(color)
            return
        self._drag_from, self._moved = place, False
        if self._on_split(place):
            self._drag = "split"
        elif self.tool is not None and event.button() == Qt.MouseButton.LeftButton and place.y() > HEADER:
            self._drag = "tool"
            self.tool.press(place, event.modifiers())
        elif self._on_wipe(place):
            self._drag = "wipe"
        else:
            in_form = self.form_rect().contains(place.toPoint())
            turning = Qt.MouseButton.RightButton if self.tool is not None else Qt.MouseButton.LeftButton
            turn = event.button() == turning and in_form
            self._drag = "turn" if turn else "move form" if in_form else "move flat"

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        place = event.position()
        self._brush = place
        if self.tool is not None:
            self.update()
        if self._drag is None:
            if self._pick is None:
                edge = self._on_split(place) or self._on_wipe(place)
                self.setCursor(Qt.CursorShape.SplitHCursor if edge else Qt.CursorShape.ArrowCursor)
            self.set_pointer(self.uv_under(place))
            return
        if self._drag == "tool":
            if self.tool is not None:
                self.tool.drag(place)
            return
        delta = place - self._drag_from
        if not self._moved and abs(delta.x()) + abs(delta.y()) < 4:
            return
        self._moved, self._drag_from = True, place
        if self._drag == "split":
            self.split = min(0.85, max(0.15, place.x() / self.width()))
            self._place_children()
        elif self._drag == "wipe":
            rect = self.form_rect() if self.form_rect().contains(place.toPoint()) else self.flat_rect()
            self.wipe = min(0.98, max(0.02, (place.x() - rect.left()) / rect.width()))
            self._place_children()
        elif self._drag == "turn":
            self.camera = self.camera.turned(delta.x(), delta.y())
        elif self._drag == "move form":
            rect = self.form_rect()
            self.camera = self.camera.moved(delta.x(), delta.y(), min(rect.width(), rect.height()))
        else:
            rect = self.flat_rect()
            self.plane = self.plane.moved(delta.x(), delta.y(), min(rect.width(), rect.height()))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        drag, self._drag = self._drag, None
        if drag == "tool":
            for tool in (self.stroke_tool, self.face_tool):
                tool.release()
            return
        clicked = not self._moved and drag in ("turn", "move flat") and event.button() == Qt.MouseButton.LeftButton
        if clicked and not self._take_up_sheet(event.position()):
            self._select_under(event.position())

    def _take_up_sheet(self, place: QPointF) -> bool:
        """Work on the sheet of the part under a position of Form, where that is another one."""
        state = self.session.state
        if self.scene is None or state.mesh is None or len(state.project.sheets) < 2 or not self.form_rect().contains(place.toPoint()):
            return False
        ratio = self.devicePixelRatioF()
        height = self.device(self.form_rect())[3]
        self.makeCurrent()
        faces = self.scene.faces_in(int(place.x() * ratio), height - 1 - int(place.y() * ratio), 1, 1)
        self.doneCurrent()
        if not faces.size or faces[0, 0] < 0:
            return False
        mesh = state.mesh.whole.mesh
        group = mesh.group_names[int(mesh.groups[faces[0, 0]])]
        home = next((s for s in state.project.sheets if s.groups is not None and group in s.groups), None)
        if home is None or home.id == state.project.sheet.id:
            return False
        self.session.work_on(home.id)
        return True

    def tabletEvent(self, event: QTabletEvent | None) -> None:
        """A pen paints with its pressure; whatever else it does, it does as a mouse."""
        assert event is not None
        place, kind = event.position(), event.type()
        painting = self.stroke_tool.ready and self._pick is None and place.y() > HEADER
        if not painting or (kind is not QEvent.Type.TabletPress and not self.stroke_tool.is_down):
            event.ignore()
            return
        self._brush = place
        if kind is QEvent.Type.TabletPress:
            self.stroke_tool.press(place, event.modifiers(), event.pressure())
        elif kind is QEvent.Type.TabletMove:
            self.stroke_tool.drag(place, event.pressure())
        else:
            self.stroke_tool.release()
        event.accept()

    def _select_under(self, place: QPointF) -> None:
        uv = self.uv_under(place)
        self.set_pointer(uv)
        planes = self.session.state.coverages
        if uv is None or not planes:
            return
        height, width = next(iter(planes.values())).shape
        y, x = min(height - 1, int(uv[1] * height)), min(width - 1, int(uv[0] * width))
        best = max(planes, key=lambda region: planes[region][y, x])
        if planes[best][y, x] > 0:
            self.session.select_region(best)

    def mouseDoubleClickEvent(self, _: QMouseEvent | None) -> None:
        self.frame_all()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        factor = 1.0015 ** event.angleDelta().y()
        place, flat = event.position(), self.flat_rect()
        if flat.contains(place.toPoint()):
            at = self.plane.to_uv(place.x() - flat.left(), place.y(), flat.width(), flat.height())
            self.plane = self.plane.zoomed(factor, at)
        else:
            self.camera = self.camera.zoomed(factor)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and self._pick is not None:
            self._stop_pick()
            return
        step = 24
        moves = {
            Qt.Key.Key_Left: (-step, 0),
            Qt.Key.Key_Right: (step, 0),
            Qt.Key.Key_Up: (0, -step),
            Qt.Key.Key_Down: (0, step),
        }
        if event.key() in moves:
            self.camera = self.camera.turned(*moves[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.camera = self.camera.zoomed(1.15)
        elif event.key() == Qt.Key.Key_Minus:
            self.camera = self.camera.zoomed(1 / 1.15)
        else:
            super().keyPressEvent(event)
            return
        self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._brush = None
        self.set_pointer(None)
        super().leaveEvent(event)

    def grab_color(self, place: QPointF) -> str:
        """The color that the views show at a position, '#rrggbb'."""
        pointer, self.pointer = self.pointer, None
        image = self.grabFramebuffer()
        self.pointer = pointer
        ratio = self.devicePixelRatioF()
        return image.pixelColor(int(place.x() * ratio), int(place.y() * ratio)).name()
