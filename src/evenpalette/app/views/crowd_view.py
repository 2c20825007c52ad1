"""The asset many times in Form, drawn as a game would: from the kit that would be delivered of the document."""

from dataclasses import replace
from typing import TYPE_CHECKING

import moderngl
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from evenpalette.app.facets import ASSET, COVERAGES, CROWD, EVERYTHING, RECIPE, REGIONS, TONE, VALUES, VARIANTS
from evenpalette.app.newest import Newest, Wish
from evenpalette.app.session import Session
from evenpalette.app.views.shown import Shown
from evenpalette.core.crowd import Copies, Laid
from evenpalette.core.document.state import State
from evenpalette.core.edits.crowd import laid_of
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.values import ValueType
from evenpalette.gpu.crowd.light import CrowdLight, CrowdMoment
from evenpalette.gpu.drawing import Viewport
from evenpalette.gpu.elsewhere import Elsewhere

# Kits are a seventh of all that a start would load: they come when a crowd is asked for.
if TYPE_CHECKING:
    from evenpalette.core.delivery.crowd_kit import CrowdKit
    from evenpalette.core.delivery.live_kit import Told
    from evenpalette.gpu.crowd.scene import CrowdAsset, CrowdStage

#: What a kit is made anew for. Values alone go into its table.
_ANEW = frozenset({ASSET, REGIONS, COVERAGES, TONE, RECIPE, VARIANTS})
_PAUSE = 120


class CrowdView(QObject):
    """What is placed, in what light, and which copy is chosen. Off until it is asked for."""

    #: Something else is to be drawn; another copy is chosen; it was switched on or off; its kit is there.
    changed = pyqtSignal()
    chosen_changed = pyqtSignal()
    switched = pyqtSignal(bool)
    came = pyqtSignal()

    def __init__(self, session: Session, shown: Shown, parent: QObject) -> None:
        super().__init__(parent)
        self._session, self._shown = session, shown
        self.is_on = False
        self.light = CrowdLight()
        self.chosen = -1
        self._kit: CrowdKit | None = None
        self._made_of: State | None = None
        self._rows: list[NDArray[np.float32]] | None = None
        #: The rows that were made last of each sheet, and of what.
        self._told: list[Told] | None = None
        self._laid: tuple[object, Laid] | None = None
        self._stage: CrowdStage | None = None
        self._asset: CrowdAsset | None = None
        self._newest = Newest(session, "Laying the crowd", _PAUSE, self._wish, self)
        session.changed.connect(self._on_change)

    # --- what is placed ------------------------------------------------------------------------------------------

    @property
    def is_shown(self) -> bool:
        """Whether Form shows it: it is on, and there is something to draw it from."""
        return self.is_on and self._kit is not None

    @property
    def kit(self) -> "CrowdKit | None":
        """What copies are drawn from."""
        return self._kit

    def switch(self, on: bool) -> None:
        """Show the crowd, or the asset alone."""
        if on == self.is_on:
            return
        self.is_on, self.chosen = on, -1
        if on:
            self._newest.ask()
        self.switched.emit(on)
        self.chosen_changed.emit()
        self.changed.emit()

    @property
    def laid(self) -> Laid | None:
        """The copies as the document lays them."""
        if self._kit is None:
            return None
        state = self._session.state
        key = state.project.crowd, tuple(v.id for v in state.project.variants), self._kit.step
        if self._laid is None or self._laid[0] != key:
            self._laid = key, laid_of(state, self._kit.step)
        return self._laid[1]

    def copies(self) -> Copies:
        """The copies, for drawing."""
        laid = self.laid
        assert laid is not None
        assert self._kit is not None
        made = laid.copies()
        most = len(self._kit.variants)
        if not most or int(made["row"].max()) > most:
            made = made.copy()
            made["row"] = np.minimum(made["row"], most)
        return made

    def variant_of(self, index: int) -> str | None:
        """The variant of a copy, by id; None for the defaults."""
        variants = self._session.state.project.variants
        row = int(self.copies()["row"][index])
        return variants[row - 1].id if 1 <= row <= len(variants) else None

    def number_of(self, index: int) -> int:
        """The number of a copy."""
        return int(self.copies()["number"][index])

    def place_of(self, index: int) -> tuple[float, float, float]:
        """Where the middle of a copy is."""
        assert self._kit is not None
        x, z = (float(v) for v in self.copies()["place"][index])
        middle = (self._kit.low + self._kit.high) / 2
        return x + float(middle[0]), float(middle[1]), z + float(middle[2])

    def choose(self, index: int) -> None:
        """Make a copy the chosen one; -1 is none."""
        if index != self.chosen:
            self.chosen = index
            self.chosen_changed.emit()
            self.changed.emit()

    def choose_next(self, by: int) -> None:
        """Choose the next copy, or the one before."""
        if self.is_shown:
            self.choose((self.chosen + by) % len(self.copies()) if self.chosen >= 0 else 0)

    def set_light(self, **parts: float) -> None:
        """Another hour, exposure, flame."""
        self.light = replace(self.light, **parts)  # type: ignore[arg-type]
        self.changed.emit()

    def camera(self, size: tuple[int, int]) -> OrbitCamera:
        """One that shows all in a view of this size."""
        assert self._kit is not None
        from evenpalette.gpu.crowd.scene import camera_around

        return camera_around([(self._kit, self.copies())], size)

    # --- what it is drawn from -----------------------------------------------------------------------------------

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets >= EVERYTHING:
            # Another document.
            self._kit = self._made_of = self._laid = None
            self.switch(False)
        if not self.is_on:
            self._made_of = None
            return
        state = self._session.state
        chooses = any(p.type is ValueType.TEXTURE for p in state.project.parameters)
        written = self._made_of is not None and self._made_of.project.sheets is not state.project.sheets
        if facets & _ANEW or not facets or (VALUES in facets and (chooses or written)):
            self._newest.ask()
        elif VALUES in facets:
            self._take_values(state)
        if CROWD in facets:
            self.chosen_changed.emit()
        self.changed.emit()

    def _take_values(self, state: State) -> None:
        """Values alone are others: they go into the table."""
        from evenpalette.core.delivery.live_kit import live_rows

        if self._kit is not None and len(self._kit.variants) == len(state.project.variants):
            known = self._told if self._told is not None and len(self._told) == len(self._kit.sheets) else None
            self._told = [
                live_rows(sheet, known=known[number] if known is not None else None)
                for number, sheet in enumerate(state.sheets())
            ]
            self._rows = [rows for rows, _ in self._told]

    def _wish(self) -> Wish | None:
        state = self._session.state
        if not self.is_on or (self._made_of is state and self._kit is not None):
            return None

        def work() -> "CrowdKit | str":
            from evenpalette.core.delivery.live_kit import live_kit

            try:
                kit = live_kit(state)
                # Not on the thread of the window: the first time its kernels are loaded.
                laid_of(state, kit.step).copies()
                return kit
            except EvenPaletteError as error:
                return str(error)

        def show(found: "CrowdKit | str") -> None:
            if isinstance(found, str):
                self._session.said.emit(f"The crowd cannot be drawn: {found}", True)
                self.switch(False)
                return
            first = self._kit is None
            self._kit, self._made_of, self._rows, self._laid = found, state, None, None
            self._told = None
            now = self._session.state
            if now is not state and len(now.project.variants) == len(state.project.variants):
                self._take_values(now)
            if first or self.chosen >= len(self.copies()):
                self.chosen = -1
            self.came.emit()
            self.chosen_changed.emit()
            self.changed.emit()

        return work, show

    # --- drawing -------------------------------------------------------------------------------------------------

    def draw(
        self, ctx: moderngl.Context, elsewhere: Elsewhere | None, target: moderngl.Framebuffer, viewport: Viewport,
        camera: OrbitCamera, coarser: int, *, patient: bool,
    ) -> None:  # fmt: skip
        """Draw it into a part of the target, with the context current. Raises KitError for a recipe that does not
        compile as a game would compile it, ShaderOnItsWay while it is compiled elsewhere."""
        from evenpalette.gpu.crowd.scene import CrowdAsset, CrowdStage

        assert self._kit is not None
        if self._stage is None:
            self._stage = CrowdStage(ctx, elsewhere)
        if self._asset is None or self._asset.kit is not self._kit:
            made = CrowdAsset(ctx, self._kit)
            if self._asset is not None:
                self._asset.release()
            self._asset = made
        if self._rows is not None:
            self._asset.set_rows(self._rows)
            self._rows = None
        parts = [(self._asset, self.copies())]
        shown = self._shown
        variants = self._session.state.project.variants
        row = next((k for k, v in enumerate(variants, 1) if v.id == shown.into), -1) if shown.turned else -1
        moment = CrowdMoment(shown.seconds, row if row <= len(self._kit.variants) else -1, shown.turned)
        eyes = shown.eyes.matrix()
        self._stage.draw(target, viewport, camera, parts, self.light, moment, eyes, coarser, patient=patient)

    @property
    def compiling(self) -> list:
        """What is being compiled elsewhere."""
        return self._stage.compiling if self._stage is not None else []

    def copy_at(self, x: int, y: int) -> int:
        """The copy at a pixel of what was drawn last (origin bottom left), -1 for none; with the context current."""
        if self._stage is None or self._kit is None:
            return -1
        found = self._stage.copy_at(x, y)
        if found is None or found[0] >= len(self._kit.sheets) or found[1] >= len(self.copies()):
            return -1
        return found[1]
