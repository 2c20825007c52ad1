"""The twin views: Form, the lit model, and Flat, the texture plane, side by side with one pointer."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QTabletEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from evenpalette.app.answers import answer
from evenpalette.app.session import Session
from evenpalette.app.views.canvas import Canvas
from evenpalette.app.views.face_finder import FaceFinder
from evenpalette.app.views.face_tool import FaceTool
from evenpalette.app.views.headers import HEADER
from evenpalette.app.views.loupe import TEXELS, Loupe, texels_at
from evenpalette.app.views.pictures import PictureQueue
from evenpalette.app.views.stages import StationLook
from evenpalette.app.views.stroke_tool import StrokeTool
from evenpalette.app.views.tools import Tool
from evenpalette.core.dataclass import dataclass
from evenpalette.core.edits.crowd import move_copy
from evenpalette.core.regions.coverage import strongest_at

_NUDGE = 24.0
_TURNS = {
    Qt.Key.Key_Left: (-_NUDGE, 0.0), Qt.Key.Key_Right: (_NUDGE, 0.0), Qt.Key.Key_Up: (0.0, -_NUDGE),
    Qt.Key.Key_Down: (0.0, _NUDGE),
}  # fmt: skip
#: Keys that choose the copy before and the next one of a crowd, with Ctrl.
_STEPS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
_ZOOMS = {Qt.Key.Key_Plus: 1.15, Qt.Key.Key_Equal: 1.15, Qt.Key.Key_Minus: 1 / 1.15}


@dataclass(frozen=True)
class Pick:
    """A color that is to be picked. take: gets it. pixels: uint8 (height, width, 3) that it is stored in, None for what
    the views show; name: what these are called. hovered: gets the color and (u, v) under the pointer; ended: is told
    when it was taken or given up."""

    take: Callable[[str], None]
    pixels: NDArray[np.uint8] | None = None
    name: str = ""
    hovered: Callable[[str, tuple[float, float]], None] | None = None
    ended: Callable[[], None] | None = None


class TwinViews(Canvas):
    """What the pointer and the keys do on Form and Flat."""

    hovered = pyqtSignal(object)

    def __init__(
        self, session: Session, looks: Mapping[str, StationLook] = MappingProxyType({}), parent: QWidget | None = None
    ) -> None:
        super().__init__(session, looks, parent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.pictures = PictureQueue(self.draw_small, self)
        self.faces = FaceFinder(session, self)
        self.face_tool, self.stroke_tool = FaceTool(session, self.faces), StrokeTool(session, self, self.faces)
        self._drag: str | None = None
        self._drag_from, self._moved = QPointF(), False
        self._pick: Pick | None = None
        self.loupe = Loupe(self)
        # What is picked belongs to the station that asked.
        session.station_changed.connect(lambda _: self._stop_pick())
        session.go_to.connect(self.look_at)
        # What the pointer said at one station is not left standing at the next.
        session.station_changed.connect(lambda _: self.headers.show_tag(QPoint(), "", self.frame.form))

    @property
    def tool(self) -> Tool | None:
        """What the left button works with instead of turning and moving."""
        if self.crowd.is_shown:
            return None
        tools: tuple[Tool, ...] = self.stroke_tool, self.face_tool
        return next((tool for tool in tools if tool.ready), None)

    def look_at(self, u: float, v: float) -> None:
        """Bring a texel to the middle of Flat and mark it."""
        self.frame = self.frame.looking_at(u, v)
        self.set_pointer((u, v))

    def set_pointer(self, uv: tuple[float, float] | None, place: QPointF | None = None) -> None:
        """The texel that both views mark and the probe reads; place: where the pointer is, to say the region there."""
        text = self._region_text(uv) if uv is not None and place is not None and self.shown.overlays else ""
        at = place if place is not None else QPointF()
        self.headers.show_tag(at.toPoint(), text, self.frame.form if self.frame.is_on_form(at) else self.frame.flat)
        if uv != self.spot:
            self.spot = uv
            self.hovered.emit(uv)
            self.mark()

    def _region_text(self, uv: tuple[float, float]) -> str:
        """Number and name of the region that is strongest at a texel."""
        state = self.session.state
        if not state.coverages:
            return ""
        region = state.project.regions.find(strongest_at(state.coverages, *uv) or "")
        return f"{state.region_ids.index(region.id) + 1}  {region.name}" if region is not None else "in no region"

    def start_pick(self, callback: Callable[[str], None]) -> None:
        """The next click on a view gives the color that is shown there."""
        self._begin_pick(Pick(callback))
        self.session.said.emit("Click on a view to take its color; Esc to stop", False)

    def start_pick_of(self, pick: "Pick") -> None:
        """The next click on a view gives the stored color of a texture there, which a loupe shows before."""
        self._begin_pick(pick)
        self.session.said.emit(f"Click on Form or Flat where {pick.name} has the color; Esc to stop", False)

    def _begin_pick(self, pick: "Pick") -> None:
        self._stop_pick()
        self._pick = pick
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setFocus()

    def _stop_pick(self) -> None:
        pick, self._pick = self._pick, None
        self.loupe.hide()
        self.unsetCursor()
        if pick is not None and pick.ended is not None:
            answer(pick.ended)

    def _hover_pick(self, pick: "Pick", place: QPointF) -> None:
        """Show what a click would take."""
        uv = self.uv_under(place)
        self.set_pointer(uv, place)
        if pick.pixels is None:
            return
        if uv is None or not (0 <= uv[0] <= 1 and 0 <= uv[1] <= 1):
            self.loupe.hide()
            return
        self.loupe.show_at(place.toPoint(), texels_at(pick.pixels, *uv), pick.name, self.rect())
        if pick.hovered is not None:
            answer(pick.hovered, self.loupe.color, uv)

    def _take_pick(self, pick: "Pick", place: QPointF) -> None:
        uv = self.uv_under(place)
        self.set_pointer(uv)
        if pick.pixels is None:
            color = self.grab_color(place)
        elif uv is None or not (0 <= uv[0] <= 1 and 0 <= uv[1] <= 1):
            self.session.said.emit(
                f"There is nothing of {pick.name} there: click on the model, or on the texture in Flat.", True
            )
            return
        else:
            reach = TEXELS // 2
            color = "#{:02x}{:02x}{:02x}".format(*texels_at(pick.pixels, *uv)[reach, reach])
        self._stop_pick()
        answer(pick.take, color)

    def _on_wipe(self, place: QPointF) -> bool:
        if not self.shown.against:
            return False
        rects = self.frame.form, self.frame.flat
        return any(abs(place.x() - (r.left() + r.width() * self.shown.wipe)) < 8 for r in rects)

    def _on_split(self, place: QPointF) -> bool:
        return abs(place.x() - self.frame.form.right() - 1) < 5

    # --- mouse and pen -------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        place = event.position()
        if self._pick is not None:
            if event.button() == Qt.MouseButton.LeftButton:
                self._take_pick(self._pick, place)
            return
        self._drag_from, self._moved = place, False
        if self._on_split(place):
            self._drag = "split"
        elif self.tool is not None and event.button() == Qt.MouseButton.LeftButton and place.y() > HEADER:
            self._drag = "tool"
            self.headers.show_tag(QPoint(), "", self.frame.form)
            self.tool.press(place, event.modifiers())
        elif self._on_wipe(place):
            self._drag = "wipe"
        else:
            in_form = self.frame.is_on_form(place)
            if in_form and self.crowd.is_shown and self._carries(event):
                self._drag = "carry"
                return
            turning = Qt.MouseButton.RightButton if self.tool is not None else Qt.MouseButton.LeftButton
            turn = event.button() == turning and in_form
            self._drag = "turn" if turn else "move form" if in_form else "move flat"

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        place, tool = event.position(), self.tool
        circle = (place, tool.radius_at(place)) if tool is not None else None
        if circle != self.circle:
            self.circle = circle
            self.mark()
        if self._drag is None and self._pick is not None:
            self._hover_pick(self._pick, place)
            return
        if self._drag is None:
            edge = self._on_split(place) or self._on_wipe(place)
            self.setCursor(Qt.CursorShape.SplitHCursor if edge else Qt.CursorShape.ArrowCursor)
            self.set_pointer(self.uv_under(place), place)
            return
        if self._drag == "tool":
            if tool is not None:
                tool.drag(place)
            return
        delta = place - self._drag_from
        if not self._moved and abs(delta.x()) + abs(delta.y()) < 4:
            return
        self._moved, self._drag_from = True, place
        if self._drag == "carry":
            self._carry(delta.x(), delta.y())
        elif self._drag == "split":
            self.frame = self.frame.split_at(place.x())
        elif self._drag == "wipe":
            rect = self.frame.form if self.frame.is_on_form(place) else self.frame.flat
            self.shown.set_wipe((place.x() - rect.left()) / rect.width())
        elif self._drag == "turn":
            self.keep_moving()
            self.frame = self.frame.turned(delta)
        else:
            self.frame = self.frame.moved(delta, form=self._drag == "move form")

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        drag, self._drag = self._drag, None
        self.come_to_rest()
        if drag == "tool":
            for tool in (self.stroke_tool, self.face_tool):
                tool.release()
            return
        if drag == "carry":
            self.session.history.seal()
            return
        clicked = not self._moved and drag in ("turn", "move flat") and event.button() == Qt.MouseButton.LeftButton
        if clicked and drag == "turn" and self.crowd.is_shown:
            self.crowd.choose(self.copy_under(event.position()))
            return
        if clicked and not self._take_up_sheet(event.position()):
            self._select_under(event.position())

    def _carries(self, event: QMouseEvent) -> bool:
        """Whether a drag that begins here moves the chosen copy."""
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        return shift and event.button() == Qt.MouseButton.LeftButton and self.crowd.chosen >= 0

    def _carry(self, dx: float, dy: float) -> None:
        """Move the chosen copy over the ground as the pointer moved."""
        index, laid = self.crowd.chosen, self.crowd.laid
        if laid is None or not 0 <= index < len(self.crowd.copies()):
            return
        form = self.frame.form
        right, ahead = self.frame.camera.along_ground(dx, dy, min(form.width(), form.height()))
        x, z = (float(v) for v in self.crowd.copies()["place"][index])
        x, z = x + right, z + ahead
        self.session.apply(
            "Move a copy", lambda s: move_copy(s, index, x / laid.step, z / laid.step), f"copy {index}"
        )  # fmt: skip

    def tabletEvent(self, event: QTabletEvent | None) -> None:
        """A pen paints with its pressure; whatever else it does, it does as a mouse."""
        assert event is not None
        place, kind = event.position(), event.type()
        painting = self.stroke_tool.ready and self._pick is None and place.y() > HEADER
        if not painting or (kind is not QEvent.Type.TabletPress and not self.stroke_tool.is_down):
            event.ignore()
            return
        self.circle = place, self.stroke_tool.radius_at(place)
        self.mark()
        if kind is QEvent.Type.TabletPress:
            self.stroke_tool.press(place, event.modifiers(), event.pressure())
        elif kind is QEvent.Type.TabletMove:
            self.stroke_tool.drag(place, event.pressure())
        else:
            self.stroke_tool.release()
        event.accept()

    def _take_up_sheet(self, place: QPointF) -> bool:
        """Work on the sheet of the part under a position of Form, where that is another one."""
        state = self.session.state
        if state.mesh is None or len(state.project.sheets) < 2 or not self.frame.is_on_form(place):
            return False
        faces = self.faces_in(*self.frame.form_pixel(place), 1, 1)
        if faces is None or not faces.size or faces[0, 0] < 0:
            return False
        mesh = state.mesh.whole.mesh
        home = state.project.sheet_of(mesh.group_names[int(mesh.groups[faces[0, 0]])])
        if home is None or home.id == state.sheet.id:
            return False
        self.session.work_on(home.id)
        return True

    def _select_under(self, place: QPointF) -> None:
        uv, planes = self.uv_under(place), self.session.state.coverages
        self.set_pointer(uv, place)
        region = strongest_at(planes, *uv) if uv is not None and planes else None
        if region is not None:
            self.session.selection.select_region(region)

    def mouseDoubleClickEvent(self, _: QMouseEvent | None) -> None:
        self.frame_all()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.frame = self.frame.zoomed(1.0015 ** event.angleDelta().y(), event.position())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = event.key()
        if key == Qt.Key.Key_Escape and self._pick is not None:
            self._stop_pick()
        elif self.crowd.is_shown and key in _STEPS and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.crowd.choose_next(_STEPS[Qt.Key(key)])
        elif self.crowd.is_shown and key in _TURNS and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            dx, dy = _TURNS[Qt.Key(key)]
            self._carry(dx, dy)
            self.session.history.seal()
        elif key in _TURNS:
            self.frame = self.frame.turned(QPointF(*_TURNS[Qt.Key(key)]))
        elif key in _ZOOMS:
            self.frame = replace(self.frame, camera=self.frame.camera.zoomed(_ZOOMS[Qt.Key(key)]))
        else:
            super().keyPressEvent(event)

    def leaveEvent(self, event: QEvent | None) -> None:
        self.circle = None
        self.loupe.hide()
        self.set_pointer(None)
        self.mark()
        super().leaveEvent(event)
