"""A set in one scene: its assets beside each other in their variants, as often as wanted, by day and by night."""

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import moderngl
import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import button, caption, counted, label, row
from evenpalette.app.widgets.forms import slider, whole
from evenpalette.app.widgets.orbit_stage import OrbitStage
from evenpalette.core.crowd import COPY, Copies
from evenpalette.core.delivery.crowd_kit import CrowdKit
from evenpalette.core.delivery.live_kit import live_kit
from evenpalette.core.document.state import State
from evenpalette.core.errors import EvenPaletteError, KitError
from evenpalette.core.parallel import Progress
from evenpalette.core.storage.storage import Storage
from evenpalette.gpu.crowd.light import CrowdLight, CrowdMoment
from evenpalette.gpu.crowd.scene import CrowdAsset, CrowdStage, camera_around

#: Room between assets, as a part of how wide they are.
_BETWEEN = 0.45
#: Texels a side of textures.
_LONGEST = 512


class Member(NamedTuple):
    """An asset of a set. state: the document where it is open, None to read the folder. variant: id, None is the
    defaults."""

    folder: Path
    state: State | None
    variant: str | None


def laid_out(kits: Sequence[CrowdKit], times: int) -> list[Copies]:
    """Copies of each asset: one beside the other along x, such rows one behind the other."""
    widths = [float(kit.high[0] - kit.low[0]) for kit in kits]
    depth = max(float(kit.high[2] - kit.low[2]) for kit in kits)
    gap = _BETWEEN * max(*widths, 1e-6) if len(kits) > 1 else _BETWEEN * widths[0]
    whole = sum(widths) + gap * len(kits)
    columns = max(1, int(np.ceil(np.sqrt(times * max(depth + gap, 1e-6) / max(whole, 1e-6)))))
    made, left = [], 0.0
    for kit, width in zip(kits, widths, strict=True):
        copies = np.zeros(times, COPY)
        numbers = np.arange(times)
        copies["number"], copies["turn"], copies["row"] = numbers, (1.0, 0.0), 1 if kit.variants else 0
        copies["place"][:, 0] = (numbers % columns) * whole + left - float(kit.low[0])
        copies["place"][:, 1] = -(numbers // columns) * (depth + 2 * gap)
        made.append(copies)
        left += width + gap
    return made


class SetStage(OrbitStage):
    """Assets in a scene."""

    #: What could not be drawn.
    refused = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumSize(640, 360)
        self.setAccessibleName("The set in one scene")
        self.light = CrowdLight()
        self.kits: tuple[CrowdKit, ...] = ()
        self.times = 1
        self._ctx: moderngl.Context | None = None
        self._stage: CrowdStage | None = None
        self._assets: list[CrowdAsset] = []
        self._made_of: tuple[CrowdKit, ...] = ()

    def take(self, kits: Sequence[CrowdKit]) -> None:
        """Show these assets."""
        self.kits = tuple(kits)
        self.frame_all()

    def frame_all(self) -> None:
        """Show all of it."""
        if self.kits:
            parts = list(zip(self.kits, laid_out(self.kits, self.times), strict=True))
            self.camera = camera_around(parts, (self.width(), self.height()), from_above=self.times > 1)
        self.update()

    def initialize_gl(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._stage = CrowdStage(ctx)

    def paint_gl(self, target: moderngl.Framebuffer) -> None:
        assert self._ctx is not None
        assert self._stage is not None
        if self._made_of is not self.kits:
            self._release_assets()
            try:
                self._assets = [CrowdAsset(self._ctx, kit) for kit in self.kits]
                for asset in self._assets:
                    self._stage.prepare(asset)
            except KitError as error:
                self._release_assets()
                self.refused.emit(str(error))
            self._made_of = self.kits
            self.hurry()
        if not self._assets:
            target.use()
            self._ctx.clear(0.4667, 0.4667, 0.4667, 1.0)
            return
        parts = list(zip(self._assets, laid_out(self.kits, self.times), strict=True))
        with self.measured(self._ctx):
            self._stage.draw(
                target, (0, 0, *target.size), self.camera, parts, self.light, CrowdMoment(), coarser=self.coarser
            )

    def _release_assets(self) -> None:
        for asset in self._assets:
            asset.release()
        self._assets = []

    def end(self) -> None:
        """Give the memory of the graphics card back."""
        if self._stage is not None:
            self.make_current()
            self._release_assets()
            self._stage.release()
            self._stage = None
            self.done_current()


class SceneDialog(QDialog):
    """Reads the assets of a set beside the window and shows them."""

    def __init__(self, session: Session, name: str, members: Sequence[Member], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(name)
        self.resize(1100, 640)
        self._session = session
        self.stage = SetStage()
        self.hour = slider(0, 1, 0.0, name="Day to night", decimals=2, taken=self._set_hour)
        self.times = whole("How often", 1, 500, 1, prefix="each ", suffix=" times", taken=self._set_times)
        self.facts = label("Reading the assets ...", "note")
        self.hour.setFixedWidth(220)
        layout = QVBoxLayout(self)
        layout.addWidget(self.stage, 1)
        layout.addWidget(
            row(self.facts, None, self.times, caption("day to night", self.hour), self.hour, button("Close", self.accept), spacing=8)
        )  # fmt: skip
        self.stage.refused.connect(self.facts.setText, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]
        self.finished.connect(lambda _: self.stage.end())
        session.tasks.start(
            Task("Reading a set", lambda progress: _kits(members, progress), self._show, self._failed, exclusive=False)
        )

    def _show(self, found: tuple[list[CrowdKit], list[str]]) -> None:
        kits, wrong = found
        self.stage.take(kits)
        words = f"{counted(len(kits), 'asset')} in one scene, as a game draws them. Drag turns, Home shows all."
        self.facts.setText(" ".join([words, *wrong[:2]]))

    def _failed(self, error: Exception) -> None:
        self.facts.setText(str(error))

    def _set_hour(self, hour: float) -> None:
        self.stage.light = CrowdLight(hour)
        self.stage.update()

    def _set_times(self, times: int) -> None:
        self.stage.times = times
        self.stage.frame_all()


def _kits(members: Sequence[Member], progress: Progress) -> tuple[list[CrowdKit], list[str]]:
    """What the members of a set are drawn from, and what is wrong with those that cannot be."""
    made, wrong = [], []
    for number, member in enumerate(members):
        try:
            state = member.state if member.state is not None else Storage(member.folder).open()
            made.append(live_kit(state, _LONGEST, [member.variant] if member.variant is not None else []))
        except EvenPaletteError as error:
            wrong.append(str(error))
        progress((number + 1) / len(members))
    if not made:
        raise EvenPaletteError(wrong[0] if wrong else "The set has no assets.")
    return made, wrong
