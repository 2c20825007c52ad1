"""The player's controls: copies, light, time, and a value for every parameter of a variant."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QCheckBox,
    QColorDialog,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QPushButton,
    QSlider,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.widgets.basics import label
from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.color.hexcode import format_hex, hex_to_linear
from evenpalette.core.delivery.kit_model import KitParameter

_STEPS = 1000


class Slide(QWidget):
    """A slider with its number. low, high: its range."""

    changed = pyqtSignal(float)

    def __init__(
        self, name: str, low: float, high: float, value: float, *, whole: bool = False, unit: str = ""
    ) -> None:
        super().__init__()
        self._low, self._high = low, max(high, low + 1e-6)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, round(high - low) if whole else _STEPS)
        self.slider.setAccessibleName(name)
        self.number: QSpinBox | QDoubleSpinBox = QSpinBox() if whole else QDoubleSpinBox()
        if isinstance(self.number, QSpinBox):
            self.number.setRange(round(low), round(high))
        else:
            self.number.setRange(low, high)
            self.number.setDecimals(3)
        self.number.setSuffix(unit)
        self.number.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
        self.number.setFixedWidth(72)
        self.number.setAccessibleName(f"{name} as a number")
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.slider, 0, 0)
        layout.addWidget(self.number, 0, 1)
        self.set(value)
        self.slider.valueChanged.connect(self._slid)
        self.number.valueChanged.connect(lambda v: self._told(float(v)))

    def set(self, value: float) -> None:
        """Show a value without saying so."""
        for widget in (self.slider, self.number):
            widget.blockSignals(True)
        share = (value - self._low) / (self._high - self._low)
        self.slider.setValue(round(share * self.slider.maximum()))
        self.number.setValue(round(value) if isinstance(self.number, QSpinBox) else value)  # type: ignore[arg-type]
        for widget in (self.slider, self.number):
            widget.blockSignals(False)

    def _slid(self, at: int) -> None:
        value = self._low + (self._high - self._low) * at / max(self.slider.maximum(), 1)
        self.set(value)
        self.changed.emit(value)

    def _told(self, value: float) -> None:
        self.set(value)
        self.changed.emit(value)


def boxed(entries: list[str], name: str) -> QComboBox:
    """A box of these entries."""
    made = QComboBox()
    made.addItems(entries)
    made.setAccessibleName(name)
    return made


def values_of(
    parameters: list[KitParameter], read: Callable[[str], list[float]], tell: Callable[[str, list[float]], None]
) -> QWidget:
    """A control for every parameter that a row of the table has. read, tell: the numbers of one, by uniform."""
    holder = QWidget()
    layout = QVBoxLayout(holder)
    layout.setContentsMargins(0, 0, 8, 0)
    layout.setSpacing(3)
    group = ""
    for p in parameters:
        numbers = read(p.uniform)
        if not numbers:
            continue
        if p.group != group:
            group = p.group
            layout.addWidget(label(group, "section"))
        if p.type == "switch":
            switch = QCheckBox(p.name)
            switch.setChecked(numbers[0] > 0.5)
            switch.toggled.connect(lambda on, u=p.uniform: tell(u, [float(on)]))
            layout.addWidget(switch)
            continue
        layout.addWidget(label(p.name, "note"))
        if p.type == "color":
            layout.addWidget(_Swatch(p.name, numbers, partial(tell, p.uniform)))
        elif p.type == "choice":
            box = boxed(list(p.choices), p.name)
            box.setCurrentIndex(round(numbers[0]))
            box.activated.connect(lambda at, u=p.uniform: tell(u, [float(at)]))
            layout.addWidget(box)
        elif p.type != "placement":
            low, high = p.range or (0.0, 1.0)
            for place, number in enumerate(numbers):
                name = f"{p.name}, {p.choices[place]}" if len(numbers) > 1 and place < len(p.choices) else p.name
                slide = Slide(name, low, high, number, whole=p.type == "integer")

                def told(value: float, uniform: str = p.uniform, place: int = place) -> None:
                    held = read(uniform)
                    held[place] = value
                    tell(uniform, held)

                slide.changed.connect(told)
                layout.addWidget(slide)
        else:
            layout.addWidget(label("A placement: as the variant has it", "note"))
    layout.addStretch(1)
    return holder


class _Swatch(QPushButton):
    """A color that is clicked to be changed."""

    def __init__(self, name: str, linear: list[float], tell: Callable[[list[float]], None]) -> None:
        super().__init__()
        self._tell = tell
        self.setObjectName("code")
        self.setAccessibleName(name)
        self.setFixedHeight(24)
        self.clicked.connect(lambda _=False: self._ask())
        self._show(format_hex(tuple(round(float(v) * 255) for v in encode_srgb(linear[:3]).clip(0, 1))))  # type: ignore[arg-type]

    def _show(self, code: str) -> None:
        self._code = code
        dark = QColor(code).lightnessF() < 0.5
        self.setText(code)
        self.setStyleSheet(
            # Of the button alone: its dialog would take a style without a selector too.
            f"QPushButton#code {{ background: {code}; color: {'#ffffff' if dark else '#1b1b1b'};"
            " border: 1px solid #c6c6c6; border-radius: 3px; }"
        )

    def _ask(self) -> None:
        dialog = QColorDialog(QColor(self._code), self)
        dialog.setOption(QColorDialog.ColorDialogOption.DontUseNativeDialog)
        dialog.currentColorChanged.connect(lambda color: self.set(color.name()))
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def set(self, code: str) -> None:
        """Have another color, #rrggbb."""
        self._show(code)
        self._tell([float(v) for v in hex_to_linear(code)])
