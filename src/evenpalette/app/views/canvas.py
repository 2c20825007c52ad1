"""Where Form and Flat are drawn: one OpenGL widget draws both, so a moved slider reaches both in one repaint.

The one place that makes the context current. It draws what it is told to show, from where its frame says, and over it
what the pointer has to say.
"""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from types import MappingProxyType
from typing import TYPE_CHECKING

import moderngl
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRect, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QResizeEvent
from PyQt6.QtWidgets import QWidget

from evenpalette.app.facets import EVERYTHING
from evenpalette.app.session import Session
from evenpalette.app.timers import timer
from evenpalette.app.views import marks
from evenpalette.app.views.awaited import Awaited
from evenpalette.app.views.crowd_place import CrowdPlace
from evenpalette.app.views.crowd_view import CrowdView
from evenpalette.app.views.frame import Frame
from evenpalette.app.views.headers import HEADER, ViewHeaders
from evenpalette.app.views.live import Live, Looks
from evenpalette.app.views.other_contexts import OtherContexts
from evenpalette.app.views.pictures import Wanted
from evenpalette.app.views.redraw import Picture, Redraw
from evenpalette.app.views.shown import Shown
from evenpalette.app.views.stages import StationLook
from evenpalette.app.widgets.gl_widget import GlWidget
from evenpalette.app.widgets.popup import show_above
from evenpalette.core.document.state import State
from evenpalette.core.errors import KitError, ShaderOnItsWay, ShaderRefused
from evenpalette.core.mesh.camera import OrbitCamera, PlaneView
from evenpalette.core.mesh.uv_raster import barycentric
from evenpalette.core.raster.box import Box
from evenpalette.core.raster.raster import Raster
from evenpalette.gpu.elsewhere import Elsewhere
from evenpalette.gpu.scene import SceneRenderer

if TYPE_CHECKING:
    from evenpalette.app.views.compare_popup import ComparePopup

#: Uploads go on for so long in one turn.
_TURN_SECONDS = 0.02


class Canvas(GlWidget):
    """Form on the left, Flat on the right, a movable line between."""

    painted = pyqtSignal()

    def __init__(
        self, session: Session, looks: Mapping[str, StationLook] = MappingProxyType({}), parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.setMinimumSize(480, 260)
        self.setAccessibleName("Form and Flat")
        self._frame = Frame()
        self.headers = ViewHeaders(self)
        self.shown = Shown(session, self.headers, looks)
        self.crowd = CrowdView(session, self.shown, self)
        self._elsewhere: Elsewhere | None = None
        #: The texel that both views mark, and the circle at the pointer.
        self.spot: tuple[float, float] | None = None
        self.circle: tuple[QPointF, float] | None = None
        self._spot_on_form: QPointF | None = None
        #: Where they are painted.
        self._marked: list[QRect] = []
        self._scene: SceneRenderer | None = None
        self._live = Live(session, self.shown)
        self._chosen_stale = True
        self._framed: tuple[object, object] = (None, None)
        #: The last complaint of the driver.
        self._refused = ""
        #: Whether somebody waits for the picture: then no shader may come later.
        self._waited_for = False
        self._awaited = Awaited(session.tasks, self)
        self._awaited.came.connect(self._draw_anew)
        self._awaited.lasts.connect(self.headers.say_compiling)
        self._redraw = Redraw(self._live, self.shown, self)
        self._redraw.wanted.connect(self.update)
        self.keep_moving, self.come_to_rest = self._redraw.keep_moving, self._redraw.come_to_rest
        self._upload_timer = timer(self, 5)
        self._upload_timer.timeout.connect(self._continue_uploads)
        self.shown.changed.connect(self._lay_out)
        self.crowd.changed.connect(self.update)
        self.place_of_crowd = CrowdPlace(session, self.crowd, self.headers, lambda: self.frame, self._go, self)
        self._sides: ComparePopup | None = None
        self.headers.compare.clicked.connect(lambda: self.ask_sides())
        session.changed.connect(self._on_change)
        session.selection.changed.connect(self.update)
        session.selection.faces_changed.connect(self._on_faces)

    # --- where from ----------------------------------------------------------------------------------------------

    @property
    def frame(self) -> Frame:
        """Where everything lies now."""
        return replace(self._frame, width=self.width(), height=self.height(), ratio=self.devicePixelRatioF())

    @frame.setter
    def frame(self, frame: Frame) -> None:
        self._frame = frame
        self._lay_out()

    def _go(self, frame: Frame) -> None:
        self.frame = frame

    def frame_all(self) -> None:
        """Show the whole model and the whole texture."""
        if self.crowd.is_shown:
            self.frame = replace(self.frame, camera=self.place_of_crowd.camera(), plane=PlaneView())
            return
        view = self.session.state.mesh
        self.frame = self.frame.around(view.mesh.bounds if view is not None else None)

    def ask_sides(self) -> "ComparePopup":
        """Ask what lies on both sides of the wipe's line."""
        if self._sides is None:
            from evenpalette.app.views.compare_popup import ComparePopup  # not for the first picture

            self._sides = ComparePopup(self.session, self.shown, self)
        self._sides.fill()
        show_above(self._sides, self.headers.compare)
        return self._sides

    @property
    def split(self) -> float:
        """The share of Form in the width while the asset stands there alone."""
        return (self.place_of_crowd.alone or self._frame).split

    def look_from(self, normal: NDArray[np.float32], u: float, v: float) -> None:
        """Take both views to a face with this normal and a texel."""
        self.frame = self.frame.looking_from(normal, u, v)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._lay_out()

    def _lay_out(self) -> None:
        frame, state = self.frame, self.session.state
        has_model = state.mesh is not None
        is_empty = not has_model and not state.project.asset.textures and not state.coverages
        self.headers.show_hints(form=not has_model, flat=is_empty)
        self.headers.place(frame.form, frame.flat, self.shown.wipe, self.shown.compared)
        self.update()

    def _on_change(self, facets: frozenset[str]) -> None:
        self._live.change(facets)
        view = self.session.state.mesh
        # Another document, or another model in it.
        looked_at = self.session.history, view.whole if view is not None else None
        if looked_at != self._framed:
            self._framed = looked_at
            self.frame_all()
        self._lay_out()

    def _on_faces(self) -> None:
        self._chosen_stale, self._live.undrawn = True, EVERYTHING
        self.update()

    # --- the live state ------------------------------------------------------------------------------------------

    def show_live(self, state: State | None, copies: Mapping[str, tuple[NDArray, NDArray]] | None = None) -> None:
        """Draw this state instead of the document's, while a stroke or a drag is under way; None ends it.

        copies: of a stroke: regions whose planes are copies of those drawn so far, (old, new); where they differ
        `patch_live` tells.
        """
        self._live.show(state, copies)
        self.update()

    def show_extras(self, pictures: dict[str, tuple[str, Raster]], laid_out: bool = True) -> None:
        """Offer pictures that are no textures of the document as stages: what a look calls each, its name and itself.

        laid_out: whether they lie as the asset's UVs do.
        """
        self._live.extras = {key: raster for key, (_, raster) in pictures.items()}
        self.shown.offer_extras({key: name for key, (name, _) in pictures.items()}, laid_out)

    def patch_live(self, regions: set[str], boxes: list[Box]) -> None:
        """Texels of coverages of the live state changed in place."""
        self._live.patch(regions, boxes)
        self.update()

    # --- OpenGL --------------------------------------------------------------------------------------------------

    @contextmanager
    def _current(self) -> Iterator[SceneRenderer | None]:
        """The scene with its context current; None before the first drawing."""
        if self._scene is None:
            yield None
            return
        self.make_current()
        try:
            yield self._scene
        finally:
            self.done_current()

    def initialize_gl(self, ctx: moderngl.Context) -> None:
        shared = self.context()
        self._elsewhere = OtherContexts(shared) if shared is not None else None
        self._scene = SceneRenderer(ctx, elsewhere=self._elsewhere)
        self._live.anew()

    def _continue_uploads(self) -> None:
        """Large textures go to the GPU in short pieces, so that the window answers in between."""
        with self._current() as scene:
            if scene is None:
                return
            arrived, waiting = scene.continue_uploads(_TURN_SECONDS), scene.is_waiting
        if arrived:
            self.update()
        if waiting:
            self._upload_timer.start()

    @property
    def is_waiting(self) -> bool:
        """Whether textures, for which coarse stand-ins are drawn, or shaders are still on their way."""
        return self._scene is not None and (self._scene.is_waiting or self._awaited.is_any)

    def places(self) -> tuple[NDArray[np.int32], NDArray[np.float32]] | None:
        """Face and (u, v) of every device pixel of Form as it is drawn now, rows from the bottom; None of a crowd."""
        if self.crowd.is_shown:
            return None
        with self._current() as scene:
            return scene.places() if scene is not None else None

    def faces_in(self, x: int, y: int, width: int, height: int) -> NDArray[np.int32] | None:
        """Faces in a rectangle of Form's device pixels from the bottom left, -1 for none; None of a crowd."""
        if self.crowd.is_shown:
            return None
        with self._current() as scene:
            return scene.faces_in(x, y, width, height) if scene is not None else None

    def uv_under(self, place: QPointF) -> tuple[float, float] | None:
        """The texel under a position of the widget, in either view."""
        frame = self.frame
        if frame.is_on_flat(place):
            u, v = frame.uv_on_flat(place)
            return (u, v) if 0 <= u <= 1 and 0 <= v <= 1 else None
        if not frame.is_on_form(place) or self.crowd.is_shown:
            return None
        with self._current() as scene:
            found = scene.uv_at(*frame.form_pixel(place)) if scene is not None else None
        return (found[0] % 1.0, found[1] % 1.0) if found else None

    def copy_under(self, place: QPointF) -> int:
        """The copy of the crowd under a position of Form, -1 for none."""
        if not self.crowd.is_shown or not self.frame.is_on_form(place):
            return -1
        with self._current() as scene:
            return self.crowd.copy_at(*self.frame.form_pixel(place)) if scene is not None else -1

    def place_on_form(self, u: float, v: float) -> QPointF | None:
        """Where Form shows a texel, None where it is hidden or on no face."""
        with self._current() as scene:
            return self._place_on_form(scene, u, v) if scene is not None else None

    def _place_on_form(self, scene: SceneRenderer, u: float, v: float) -> QPointF | None:
        view = self.session.state.mesh
        if view is None or view.mesh.uvs is None or not view.is_ready or self.crowd.is_shown:
            return None
        faces = view.faces_under_texels
        size = faces.shape[0]
        face = faces[min(size - 1, max(0, int(v * size))), min(size - 1, max(0, int(u * size)))]
        if face < 0:
            return None
        weights = barycentric(view.mesh.uvs[face], np.array([u, v]))
        place = self.frame.place_on_form((view.mesh.positions[view.mesh.faces[face]] * weights[:, None]).sum(0))
        shown = scene.uv_at(*self.frame.form_pixel(place))
        return None if shown is None or abs(shown[0] - u) + abs(shown[1] - v) > 0.03 else place

    @property
    def seen_from(self) -> tuple[float, float]:
        """Yaw and pitch that small pictures are seen from."""
        camera = (self.place_of_crowd.alone or self.frame).camera
        return camera.yaw, camera.pitch

    def draw_small(self, wanted: Sequence[Wanted]) -> list[QImage] | None:
        """Pictures of the model seen from where Form is seen, the whole of it; None while nothing can be drawn."""
        if not self.isVisible() or self._awaited.is_any:
            return None
        view, frame = self.session.state.mesh, self.frame
        camera = OrbitCamera.around(*view.mesh.bounds) if view is not None else OrbitCamera()
        yaw, pitch = self.seen_from
        camera = replace(camera, yaw=yaw, pitch=pitch)
        made = []
        with self._current() as scene:
            if scene is None:
                return None
            self._live.hand_on(scene, may_wait=not self._waited_for)
            for look, size, turn in wanted:
                turned = replace(camera, yaw=camera.yaw + turn)
                width, height = round(size[0] * frame.ratio), round(size[1] * frame.ratio)
                try:
                    data = scene.thumbnail(look, turned, (width, height))
                except ShaderOnItsWay:
                    self._awaited.take(scene.compiling)
                    return None
                except ShaderRefused:
                    self._live.go_back(scene)
                    data = scene.thumbnail(replace(look, steps=None), turned, (width, height))
                image = QImage(data, width, height, width * 3, QImage.Format.Format_RGB888).copy()
                image.setDevicePixelRatio(frame.ratio)
                made.append(image)
        return made

    def grab_color(self, place: QPointF) -> str:
        """The color that the views show at a position, '#rrggbb'."""
        marked = self.spot, self.circle
        self.spot = self.circle = None
        image = self.picture()
        self.spot, self.circle = marked
        ratio = self.devicePixelRatioF()
        return image.pixelColor(int(place.x() * ratio), int(place.y() * ratio)).name()

    def picture(self) -> QImage:
        """What the views show of the document as it is now."""
        self._waited_for = True
        # What stands there may be older, while a shader is awaited.
        if self._awaited.is_any:
            self._live.anew()
        try:
            return super().picture()
        finally:
            self._waited_for = False

    def paint_gl(self, target: moderngl.Framebuffer) -> list[QRect] | None:
        scene = self._scene
        assert scene is not None
        self._live.hand_on(scene, may_wait=not self._waited_for)
        if self._chosen_stale:
            scene.set_selection(np.flatnonzero(self.session.selection.faces))
            self._chosen_stale = False
        live = self._live
        looks = self.shown.form(), self.shown.flat()
        try:
            self._draw(scene, target, looks)
            live.went_well(looks)
        except ShaderOnItsWay:
            scene.drop_unwanted()
            self._awaited.take([*scene.compiling, *self.crowd.compiling])
            self._live.go_back(scene)
            scene.patient = False
            self._draw(scene, target, live.looks, crowd=False)
        except KitError as error:
            words = f"The crowd cannot be drawn: {error}"
            QTimer.singleShot(0, lambda: self.session.said.emit(words, True))
            QTimer.singleShot(0, lambda: self.crowd.switch(False))
            self._draw(scene, target, looks, crowd=False)
        except ShaderRefused as refused:
            if self._refused != str(refused):
                # Once for each shader; said from the event loop, since painting is no place to change other widgets.
                self._refused = str(refused)
                QTimer.singleShot(0, lambda: self.session.said.emit(self._refused, True))
            self._live.go_back(scene)
            self._draw(scene, target, looks)
        self._place_marks(scene)
        if scene.is_waiting and not self._upload_timer.isActive():
            self._upload_timer.start()
        self.painted.emit()
        return self._redraw.drawn

    @property
    def is_smoothed(self) -> bool:
        """Whether Form is made smooth while nothing moves."""
        return self._redraw.is_smoothed

    @is_smoothed.setter
    def is_smoothed(self, is_on: bool) -> None:
        self._redraw.is_smoothed = is_on
        self._draw_anew()

    def _draw_anew(self) -> None:
        """What was waited for is there."""
        self._live.anew()
        self.update()

    def _draw(
        self, scene: SceneRenderer, target: moderngl.Framebuffer, looks: tuple[Looks, Looks], *, crowd: bool = True
    ) -> None:
        """Both views of the state that the scene has. crowd: Form may show the crowd."""
        frame = self.frame

        def draw_crowd(coarser: int) -> None:
            self.crowd.draw(
                scene.ctx, self._elsewhere, target, frame.device(frame.form), frame.camera, coarser,
                patient=not self._waited_for,
            )  # fmt: skip

        picture = Picture(
            frame, (self.place_of_crowd.alone or frame).camera, looks,
            (*(() if self.is_painted_apart else (self.spot, self.circle)), self.shown.against, self.shown.wipe),
            draw_crowd if crowd and self.crowd.is_shown else None,
        )  # fmt: skip
        self._redraw.draw(scene, target, picture, waited_for=self._waited_for)

    def _place_marks(self, scene: SceneRenderer) -> None:
        spot, circle = self.spot, self.circle
        self._spot_on_form = self._place_on_form(scene, *spot) if spot is not None else None
        spots = [self.frame.place_on_flat(*spot), self._spot_on_form] if spot is not None else []
        self._marked = [marks.around(place) for place in spots if place is not None]
        if circle is not None:
            self._marked.append(marks.around(*circle))

    def mark(self) -> None:
        """The spot or the circle has moved; what is drawn stays."""
        before = self._marked
        with self._current() as scene:
            if scene is not None:
                self._place_marks(scene)
        self.update_over([*before, *self._marked])

    def paint_over(self, painter: QPainter) -> None:
        frame = self.frame
        form, flat = frame.form, frame.flat
        marks.draw_divide(painter, form.right() + 1, frame.height)
        if self.shown.against:
            for rect in (flat,) if self.crowd.is_shown else (form, flat):
                marks.draw_wipe(painter, rect.left() + rect.width() * self.shown.wipe, HEADER + 4, frame.height - 10)
        if self.circle is not None:
            marks.draw_circle(painter, *self.circle)
        if self.spot is not None:
            marks.draw_spot(painter, flat, frame.place_on_flat(*self.spot))
            if self._spot_on_form is not None:
                marks.draw_spot(painter, form, self._spot_on_form)
        if self.crowd.is_shown and 0 <= self.crowd.chosen < len(self.crowd.copies()):
            marks.draw_spot(painter, form, frame.place_on_form(np.array(self.crowd.place_of(self.crowd.chosen))))
