"""What of both views is drawn again, and how fine: what a hand moves is followed first, and made fine when it rests."""

import time
from collections.abc import Callable
from dataclasses import replace

import moderngl
from PyQt6.QtCore import QObject, QRect, pyqtSignal

from evenpalette.app.facets import VALUES
from evenpalette.app.timers import timer
from evenpalette.app.views.at_rest import AtRest
from evenpalette.app.views.frame import Frame
from evenpalette.app.views.live import Live, Looks
from evenpalette.app.views.shown import Shown
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import ShaderOnItsWay
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.gpu.pace import AT_REST_MS, Pace
from evenpalette.gpu.scene import SceneRenderer

_VALUES = frozenset({VALUES})
#: Seconds that Form may take of a picture that follows a slider.
_SLIDE_SECONDS = 1 / 60


@dataclass(frozen=True)
class Picture:
    """What is to be seen. camera: of Form. looks: of Form and Flat. marked: what is painted over both. crowd: draws the
    crowd in place of Form, as coarse as it is told."""

    frame: Frame
    camera: OrbitCamera
    looks: tuple[Looks, Looks]
    marked: tuple[object, ...]
    crowd: Callable[[int], None] | None


class Redraw(QObject):
    """Draws a picture over the last one."""

    #: One more is wanted.
    wanted = pyqtSignal()

    def __init__(self, live: Live, shown: Shown, parent: QObject) -> None:
        super().__init__(parent)
        self._live, self._shown = live, shown
        #: What was drawn, None for all.
        self.drawn: list[QRect] | None = None
        self._flat_as_drawn: object = None
        self._drawn_as: object = None
        #: Runs while a hand moves the camera, and a little longer; then all is drawn as fine as it can be.
        self._moving = timer(self, AT_REST_MS)
        self._moving.timeout.connect(self.come_to_rest)
        self._pace = Pace()
        #: Runs while values follow a hand, and a little longer; coarse is how coarse Form stands there.
        self._sliding = timer(self, AT_REST_MS)
        self._sliding.timeout.connect(self._refine)
        self._slides, self._coarse = Pace(_SLIDE_SECONDS), 1
        self._at_rest = AtRest(self)
        self._at_rest.due.connect(self.wanted)

    @property
    def is_smoothed(self) -> bool:
        """Whether Form is made smooth while nothing moves."""
        return self._at_rest.is_wanted

    @is_smoothed.setter
    def is_smoothed(self, is_on: bool) -> None:
        self._at_rest.is_wanted = is_on

    def keep_moving(self) -> None:
        """A hand moves the camera: to follow it counts for more than fine pixels."""
        self._moving.start()

    def come_to_rest(self) -> None:
        """The hand rests: all is drawn as fine as it can be."""
        self._moving.stop()
        self._pace.rest()
        self.wanted.emit()

    def _refine(self) -> None:
        self._slides.ease()
        if self._coarse > 1:
            self.wanted.emit()

    def draw(self, scene: SceneRenderer, target: moderngl.Framebuffer, picture: Picture, *, waited_for: bool) -> None:
        """Draw all of it, or only what differs from what stands there. waited_for: somebody wants it now and fine."""
        live, frame, looks = self._live, picture.frame, picture.looks
        moves = self._moving.isActive()
        now = frame, looks, self._shown.has_lines, *picture.marked, id(live.extras), scene.is_waiting, scene.has_model
        as_drawn, self._drawn_as = now == self._drawn_as, None
        still = not (picture.crowd or waited_for or moves or scene.is_waiting or self._sliding.isActive())
        follows = as_drawn and not (picture.crowd or waited_for or moves)
        if (
            (still and self._settle(scene, target, picture))
            or (follows and self._follow(scene, target, picture))
            or self._draw_whole(scene, target, picture, moves=moves, still=still)
        ):
            self._drawn_as = now

    def _seen(self, scene: SceneRenderer, picture: Picture) -> tuple[object, ...]:
        """Everything that decides what Form shows."""
        frame, shown = picture.frame, self._shown
        return frame.form, picture.camera, picture.looks[0], shown.wipe, id(self._live.extras), scene.has_model

    def _settle(self, scene: SceneRenderer, target: moderngl.Framebuffer, picture: Picture) -> bool:
        """Draw Form once more, smoother, where that is wanted now."""
        seen = self._seen(scene, picture)
        if self._live.undrawn or self._coarse > 1 or not scene.has_model or not self._at_rest.wants(seen):
            return False
        began, form = time.perf_counter(), picture.frame.form
        scene.settle_form(target, picture.frame.device(form), picture.camera, picture.looks[0], self._at_rest.count)
        scene.ctx.finish()
        self._at_rest.took(time.perf_counter() - began)
        self.drawn = [form]
        return True

    def _follow(self, scene: SceneRenderer, target: moderngl.Framebuffer, picture: Picture) -> bool:
        """Draw only where other values can be seen, where nothing else has changed: as coarse as is fast enough while
        they go on changing, and then fine."""
        goes_on, changed = self._sliding.isActive(), self._live.undrawn == _VALUES
        refines = self._coarse > 1 and not self._live.undrawn and not goes_on
        if not changed and not refines:
            return False
        frame, looks = picture.frame, picture.looks
        coarser, before = self._slides.coarser if changed and goes_on else 1, self._coarse
        began = time.perf_counter()
        drawn = scene.draw_form(
            target, frame.device(frame.form), picture.camera, looks[0], coarser=coarser, partly=True
        )
        self._coarse = coarser
        if changed and goes_on and coarser == before and not self._slides.is_coarsest:
            # Else Flat is begun while Form is drawn.
            scene.ctx.finish()
            self._slides.took(time.perf_counter() - began)
        drawn += scene.draw_flat(
            target,
            frame.device(frame.flat),
            frame.plane,
            looks[1],
            lines=self._shown.has_lines,
            coarser=coarser,
            partly=True,
        )
        self.drawn = [frame.logical(part).toAlignedRect() for part in drawn]
        self._flat_as_drawn = None
        if changed:
            self._sliding.start()
        self._at_rest.drawn(self._seen(scene, picture), anew=changed)
        return True

    def _draw_whole(
        self, scene: SceneRenderer, target: moderngl.Framebuffer, picture: Picture, *, moves: bool, still: bool
    ) -> bool:
        """Draw Form, and Flat unless only the camera moved; whether what stands there is all, and fine."""
        frame, looks, shown, seen = picture.frame, picture.looks, self._shown, self._seen(scene, picture)
        settled = still and not self._live.undrawn and scene.has_model and self._at_rest.holds(seen)
        if still and not settled:
            self._at_rest.drawn(seen, anew=bool(self._live.undrawn))
        flat = self._flat_now(scene, picture)
        only_form = moves and flat == self._flat_as_drawn
        form = frame.device(frame.form)
        scene.clear(target, form if only_form else None)
        began = time.perf_counter()
        coarser = self._pace.coarser if moves else 1
        self._coarse = 1
        on_its_way: ShaderOnItsWay | None = None
        try:
            if picture.crowd is not None:
                picture.crowd(coarser)
            elif settled:
                scene.show_settled(target, form)
            else:
                scene.draw_form(target, form, picture.camera, looks[0], coarser=coarser)
        except ShaderOnItsWay as error:
            on_its_way = error  # Flat may need a shader too: both are compiled while the last picture stands.
        if moves:
            # Until it is drawn: only so is it known whether it is fast enough to follow the hand.
            scene.ctx.finish()
            self._pace.took(time.perf_counter() - began)
        self.drawn = [frame.form] if only_form else None
        self._flat_as_drawn = flat
        state = self._live.held
        if not only_form and (state.project.asset.textures or state.coverages or scene.has_model):
            scene.draw_flat(target, frame.device(frame.flat), frame.plane, looks[1], lines=shown.has_lines)
        if on_its_way is not None:
            raise on_its_way
        return coarser == 1 and picture.crowd is None

    def _flat_now(self, scene: SceneRenderer, picture: Picture) -> tuple[object, ...]:
        """Everything that decides what is seen outside of Form."""
        return (
            replace(picture.frame, camera=OrbitCamera()), tuple(picture.looks[1]), self._shown.has_lines, *picture.marked,
            id(self._live.held), id(self._live.extras), scene.is_waiting,
        )  # fmt: skip
