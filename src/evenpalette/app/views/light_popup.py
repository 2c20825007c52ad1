"""The light that Form is judged in: set-up, turn, exposure, curve; and who looks on."""

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QWidget

from evenpalette.app.plain import plain
from evenpalette.app.widgets.basics import captions, choice
from evenpalette.app.widgets.value_slider import ValueSlider
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
        self.set_up = QComboBox()
        for key, known in SET_UPS.items():
            self.set_up.addItem(known.label, key)
            self.set_up.setItemData(self.set_up.count() - 1, plain(known.description), Qt.ItemDataRole.ToolTipRole)
        self.set_up.setCurrentIndex(self.set_up.findData(light.set_up))
        self.set_up.activated.connect(lambda i: self._change(set_up=self.set_up.itemData(i)))
        self.turn, self.exposure = ValueSlider(-180, 180, decimals=0), ValueSlider(-6, 6, decimals=1)
        self.turn.set_value(light.turn)
        self.exposure.set_value(light.exposure)
        self.turn.edited.connect(lambda v: self._change(turn=v))
        self.exposure.edited.connect(lambda v: self._change(exposure=v))
        self.filmic = QCheckBox("bend highlights in")
        self.filmic.setToolTip("What is brighter than white keeps its modelling; colors up to 0.8 stay as they are")
        self.filmic.setChecked(light.filmic)
        self.filmic.clicked.connect(lambda on: self._change(filmic=on))
        self.bloom = ValueSlider(0, 1, decimals=2)
        self.bloom.setToolTip(
            "How much of what glows is scattered, as in an eye; only in the view, never in what is delivered"
        )
        self.bloom.set_value(light.bloom)
        self.bloom.edited.connect(lambda v: self._change(bloom=v))
        self.kind = choice(
            rows=vision_rows(),
            tip="Both views, small pictures and the crowd as these eyes see them; nothing that is delivered",
            taken=lambda _: self._look(),
        )
        self.kind.setCurrentIndex(max(0, self.kind.findData(eyes.kind)))
        self.strength = ValueSlider(0, 1, decimals=2)
        self.strength.set_value(eyes.strength)
        self.strength.setEnabled(eyes.kind != NORMAL)
        self.strength.edited.connect(lambda _: self._look())
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
