"""The light that Form is judged in: set-up, turn, exposure, curve; and who looks on."""

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QWidget

from evenpalette.app.widgets.basics import captions, choice
from evenpalette.app.widgets.forms import slider
from evenpalette.core.color.vision import NORMAL, Vision, vision_rows
from evenpalette.core.light.lamps import SET_UPS, Light


class LightPopup(QWidget):
    """A small window; `changed` with the light as it is set, `eyes_changed` with who looks on."""

    changed = pyqtSignal(object)
    eyes_changed = pyqtSignal(object)

    def __init__(self, light: Light, eyes: Vision, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setObjectName("chrome")
        self._light = light
        self.set_up = choice(
            rows=[(known.label, key, known.description) for key, known in SET_UPS.items()],
            now=light.set_up,
            taken=lambda key: self._change(set_up=key),
        )
        self.turn = slider(-180, 180, light.turn, decimals=0, taken=lambda v: self._change(turn=v))
        self.exposure = slider(-6, 6, light.exposure, decimals=1, taken=lambda v: self._change(exposure=v))
        self.filmic = QCheckBox("bend highlights in")
        self.filmic.setToolTip("What is brighter than white keeps its modelling; colors up to 0.8 stay as they are")
        self.filmic.setChecked(light.filmic)
        self.filmic.clicked.connect(lambda on: self._change(filmic=on))
        self.bloom = slider(
            0, 1, light.bloom, decimals=2, taken=lambda v: self._change(bloom=v),
            tip="How much of what glows is scattered, as in an eye; only in the view, never in what is delivered",
        )  # fmt: skip
        self.kind = choice(
            rows=vision_rows(),
            now=eyes.kind,
            tip="Both views, small pictures and the crowd as these eyes see them; nothing that is delivered",
            taken=lambda _: self._look(),
        )
        self.strength = slider(0, 1, eyes.strength, decimals=2, taken=lambda _: self._look())
        self.strength.setEnabled(eyes.kind != NORMAL)
        grid = QGridLayout(self)
        grid.setContentsMargins(12, 10, 12, 10)
        grid.setHorizontalSpacing(10)
        captions(grid, (
            ("Light", self.set_up), ("Turn", self.turn), ("Exposure, stops", self.exposure), ("Highlights", self.filmic),
            ("Bloom", self.bloom), ("Seen by", self.kind), ("Strength", self.strength),
        ))  # fmt: skip
        self.setMinimumWidth(300)

    def _look(self) -> None:
        self.strength.setEnabled(self.kind.currentData() != NORMAL)
        self.eyes_changed.emit(Vision(self.kind.currentData(), self.strength.value))

    def _change(self, **parts: object) -> None:
        self._light = replace(self._light, **parts)  # type: ignore[arg-type]
        self.changed.emit(self._light)
