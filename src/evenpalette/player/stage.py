"""Where the player draws: a widget that turns, picks and moves copies."""

import moderngl
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QWidget

from evenpalette.app.widgets.orbit_stage import OrbitStage
from evenpalette.core.crowd import Laid
from evenpalette.core.delivery.crowd_kit import CrowdKit
from evenpalette.core.errors import KitError
from evenpalette.gpu.crowd.light import CrowdLight, CrowdMoment
from evenpalette.gpu.crowd.scene import CrowdAsset, CrowdStage


class Stage(OrbitStage):
    """Copies of a kit. With Shift a drag moves the chosen copy over the ground; a click chooses one."""

    #: A kit is drawn for the first time, or one that does not compile was refused.
    loaded = pyqtSignal()
    refused = pyqtSignal(str)
    chosen = pyqtSignal(int)
    moved = pyqtSignal(int, float, float)
    deleted = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumSize(480, 320)
        self.setAccessibleName("The kit at work")
        self.scene: CrowdAsset | None = None
        self.crowd: CrowdStage | None = None
        self.laid: Laid | None = None
        self.light, self.moment = CrowdLight(), CrowdMoment()
        self.selected = -1
        self._ctx: moderngl.Context | None = None
        self._wanted: CrowdKit | None = None

    def take(self, kit: CrowdKit) -> None:
        """Draw this kit from now on; what is drawn stays where it does not compile."""
        self._wanted = kit
        self.update()

    def frame_all(self) -> None:
        """Show all copies."""
        if self.scene is not None and self.laid is not None:
            self.camera = self.scene.camera(self.laid.copies(), (self.width(), self.height()))
            self.update()

    def initialize_gl(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self.crowd = CrowdStage(ctx)

    def paint_gl(self, target: moderngl.Framebuffer) -> None:
        assert self._ctx is not None
        if self._wanted is not None:
            self._load(self._wanted)
            self._wanted = None
            target.use()
        if self.scene is None or self.laid is None or self.crowd is None:
            self._ctx.clear(0.4667, 0.4667, 0.4667, 1.0)
            return
        with self.measured(self._ctx):
            self.crowd.draw(
                target, (0, 0, *target.size), self.camera, [(self.scene, self.laid.copies())], self.light, self.moment,
                coarser=self.coarser,
            )  # fmt: skip

    def _load(self, kit: CrowdKit) -> None:
        assert self._ctx is not None
        assert self.crowd is not None
        try:
            made = CrowdAsset(self._ctx, kit)
            self.crowd.prepare(made)
        except KitError as error:
            self.refused.emit(str(error))
            return
        if self.scene is not None:
            self.scene.release()
        self.scene = made
        self.hurry()
        self.loaded.emit()

    def end(self) -> None:
        """Give the memory of the graphics card back."""
        if self.scene is not None:
            self.make_current()
            self.scene.release()
            self.scene = None
            if self.crowd is not None:
                self.crowd.release()
            self.done_current()

    # --- hands -----------------------------------------------------------------------------------------------------

    def dragged(self, dx: float, dy: float, *, shift: bool) -> None:
        if shift and self.selected >= 0:
            self._carry(dx, dy)
        else:
            super().dragged(dx, dy, shift=shift)

    def clicked(self, place: QPointF) -> None:
        self.selected = self.copy_at(place)
        self.chosen.emit(self.selected)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = Qt.Key(event.key())
        if key is Qt.Key.Key_Delete and self.selected >= 0:
            self.deleted.emit(self.selected)
        elif key is Qt.Key.Key_PageDown or key is Qt.Key.Key_PageUp:
            self._step(1 if key is Qt.Key.Key_PageDown else -1)
        else:
            super().keyPressEvent(event)

    def _step(self, by: int) -> None:
        """Choose the next copy."""
        if self.laid is not None:
            known = self.laid.indices()
            at = known.index(self.selected) + by if self.selected in known else 0
            self.selected = known[at % len(known)]
            self.chosen.emit(self.selected)

    def _carry(self, dx: float, dy: float) -> None:
        """Move the chosen copy over the ground as the pointer moved."""
        assert self.laid is not None
        known = self.laid.indices()
        if self.selected not in known:
            return
        x, z = (float(v) for v in self.laid.copies()["place"][known.index(self.selected)])
        right, ahead = self.camera.along_ground(dx, dy, min(self.width(), self.height()))
        self.follow()
        self.moved.emit(self.selected, x + right, z + ahead)

    def copy_at(self, place: QPointF) -> int:
        """The copy under a place of the widget, -1 for none."""
        if self.scene is None or self.laid is None or self.crowd is None:
            return -1
        ratio = self.devicePixelRatioF()
        self.make_current()
        found = self.crowd.copy_at(int(place.x() * ratio), round(self.height() * ratio) - 1 - int(place.y() * ratio))
        self.done_current()
        return self.laid.indices()[found[1]] if found is not None else -1
