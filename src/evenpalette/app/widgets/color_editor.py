"""The editor of a color: read in three ways, pointed at on a plane, picked from the views, taken again."""

import contextlib
from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import (
    QKeyEvent,
    QKeySequence,
)
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.plain import plain
from evenpalette.app.widgets.basics import label, tool
from evenpalette.app.widgets.color_parts import HexEdit, OverTone, Swatch
from evenpalette.app.widgets.color_plane import ColorPlane, HueTrack
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.color.hexcode import hex_to_linear, linear_to_hex, normalize_hex
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_oklch, oklch_to_linear_in_gamut
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError

#: Asks the views for a color; the callback gets it as hex.
PickColor = Callable[[Callable[[str], None]], None]


@dataclass(frozen=True)
class ColorAround:
    """What a color is chosen among and for. colors: those of the project. gray: the mean linear gray of the tone that
    it tints, None where it does not tint one."""

    colors: tuple[str, ...] = ()
    gray: float | None = None


#: What surrounds a color, asked for when its editor opens.
AskAround = Callable[[], ColorAround]
#: The colors used last, over all editors; the newest first.
_recent: list[str] = []
_MOST_SWATCHES = 11


def remember_color(color: str) -> None:
    """Put a color at the top of the recent ones."""
    if color in _recent:
        _recent.remove(color)
    _recent.insert(0, color)
    del _recent[_MOST_SWATCHES:]


class ColorEditor(QFrame):
    """A plane of lightness and chroma with the edge of sRGB, a track of hues, their numbers, hex entry, the color over
    the tone, colors of the project and recent ones, a picker on the views; Ctrl+C and Ctrl+V copy and paste."""

    edited = pyqtSignal(str)
    finished = pyqtSignal()

    def __init__(self, pick: PickColor | None, parent: QWidget, around: ColorAround | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self._gray = around.gray if around is not None else None
        self.setObjectName("card")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setFixedWidth(316)
        self._lch = np.zeros(3)
        self._color = "#ffffff"
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        layout.setSpacing(8)
        top = QHBoxLayout()
        self.before, self.now = Swatch(self, (44, 34)), Swatch(self, (44, 34))
        self.before.setToolTip("As it was: click to go back")
        self.before.clicked.connect(self._go_back)
        self.hex = HexEdit(self)
        self.hex.entered.connect(self._typed)
        top.addWidget(self.before)
        top.addWidget(self.now)
        top.addWidget(self.hex)
        top.addStretch(1)
        if pick is not None:
            picker = tool("pipette", "Take a color from the views")
            picker.clicked.connect(lambda: self._start_pick(pick))
            top.addWidget(picker)
        layout.addLayout(top)
        self.plane, self.hues = ColorPlane(), HueTrack()
        self.plane.moved.connect(self._pointed)
        self.plane.released.connect(self.finished)
        self.hues.moved.connect(lambda hue: self._slid(2, hue))
        self.hues.released.connect(self.finished)
        layout.addWidget(self.plane)
        layout.addWidget(self.hues)
        self.over = OverTone()
        self.over.setVisible(self._gray is not None)
        layout.addWidget(self.over)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        self._sliders = [
            ValueSlider(0, 1, decimals=3),
            ValueSlider(0, 0.34, decimals=3),
            ValueSlider(0, 360, "°", decimals=1),
        ]
        for line, (name, slider) in enumerate(zip(("Lightness", "Chroma", "Hue"), self._sliders, strict=True)):
            slider.setAccessibleName(name)
            grid.addWidget(label(name), line, 0)
            grid.addWidget(slider, line, 1)
            slider.edited.connect(lambda value, i=line: self._slid(i, value))
            slider.finished.connect(self.finished)
        layout.addLayout(grid)
        for name, colors in (("Project", around.colors if around is not None else ()), ("Recent", tuple(_recent))):
            if colors:
                layout.addLayout(self._swatches(name, colors))
        self._readout = label("", "note")
        self._readout.setAccessibleName("Color in numbers")
        layout.addWidget(self._readout)
        self.finished.connect(lambda: remember_color(self._color))

    def set_color(self, color: str) -> None:
        """Show a color; the first one is what `before` keeps."""
        if not self.isVisible():
            self.before.set_color(color)
            self.before.setToolTip(plain(f"As it was: {color}. Click to go back"))
        if color != self._color or not self.isVisible():
            self._lch = oklab_to_oklch(linear_to_oklab(hex_to_linear(color))).astype(np.float64)
        self._show(color)

    def _swatches(self, name: str, colors: tuple[str, ...]) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(3)
        words = label(name, "note")
        words.setFixedWidth(44)
        line.addWidget(words)
        for color in tuple(dict.fromkeys(colors))[:_MOST_SWATCHES]:
            swatch = Swatch(self, (20, 20))
            swatch.set_color(color)
            swatch.setAccessibleName(f"{name} color {color}")
            swatch.clicked.connect(lambda _=False, c=color: self._typed(c))
            line.addWidget(swatch)
        line.addStretch(1)
        return line

    def _pointed(self, lightness: float, chroma: float) -> None:
        self._lch[0], self._lch[1] = lightness, chroma
        color = linear_to_hex(oklch_to_linear_in_gamut(self._lch))
        self._show(color)
        self.edited.emit(color)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        clipboard = QApplication.clipboard()
        if event.matches(QKeySequence.StandardKey.Copy) and clipboard is not None:
            clipboard.setText(self._color)
        elif event.matches(QKeySequence.StandardKey.Paste) and clipboard is not None:
            with contextlib.suppress(EvenPaletteError):
                self._typed(normalize_hex(clipboard.text()))
        else:
            super().keyPressEvent(event)

    def _show(self, color: str) -> None:
        self._color = color
        self.plane.show_color(*(float(value) for value in self._lch))
        self.hues.show_hue(float(self._lch[2]) % 360)
        if self._gray is not None:
            self.over.show_color(color, self._gray)
        self.now.set_color(color)
        self.hex.set_color(color)
        for slider, value in zip(self._sliders, self._lch, strict=True):
            slider.set_value(float(value))
        red, green, blue = hex_to_linear(color)
        lightness, chroma, hue = oklab_to_oklch(linear_to_oklab(hex_to_linear(color)))
        self._readout.setText(
            f"linear {red:.4f}  {green:.4f}  {blue:.4f}\nOKLCh {lightness:.3f}  {chroma:.3f}  {hue:.1f}°"
        )

    def _slid(self, index: int, value: float) -> None:
        self._lch[index] = value
        color = linear_to_hex(oklch_to_linear_in_gamut(self._lch))
        self._show(color)
        self.edited.emit(color)

    def _typed(self, color: str) -> None:
        self.set_color(color)
        self.edited.emit(color)
        self.finished.emit()

    def _go_back(self) -> None:
        self._typed(self.before.color)

    def _start_pick(self, pick: PickColor) -> None:
        edited, finished = self.edited, self.finished

        def took(color: str) -> None:
            edited.emit(color)
            finished.emit()

        # The editor closes while the pointer is on the views; its owner still hears the color.
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose, False)
        self.hide()
        pick(took)
