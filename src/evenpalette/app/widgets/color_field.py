"""A color: swatch and hex entry, with an editor that reads it in three ways."""

import contextlib
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.widgets.basics import label, tool
from evenpalette.app.widgets.color_drag import carry, is_far, take
from evenpalette.app.widgets.color_plane import ColorPlane, HueTrack
from evenpalette.app.widgets.popup import is_open, show_above
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.color.hexcode import hex_to_linear, linear_to_hex, normalize_hex
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_oklch, oklch_to_linear_in_gamut
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


class OverTone(QWidget):
    """A color as it comes out over a tone: from black to the color itself, and at the tone's mean."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(24)
        self._color, self._gray = "#ffffff", 0.5

    def show_color(self, color: str, gray: float) -> None:
        """Show a color over a tone of this mean linear gray."""
        self._color, self._gray = color, gray
        out = linear_to_hex((hex_to_linear(color) * np.float32(gray)).astype(np.float32))
        words = f"Over the tone it comes out as {out} on average; the brightest tone gives {color}"
        self.setToolTip(plain(words))
        self.setAccessibleName(words)
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        tint = hex_to_linear(self._color)
        wide = self.width() - 60
        for step in range(48):
            gray = ((step + 0.5) / 48) ** 2.2
            painter.fillRect(
                QRectF(step / 48 * wide, 3, wide / 48 + 1, 18),
                QColor(linear_to_hex((tint * np.float32(gray)).astype(np.float32))),
            )
        place = self._gray ** (1 / 2.2) * wide
        painter.setPen(QPen(QColor("#ffffff"), 1))
        painter.drawLine(round(place), 2, round(place), 22)
        painter.setPen(QPen(QColor("#8c8c8c"), 1))
        painter.setBrush(QColor(linear_to_hex((tint * np.float32(self._gray)).astype(np.float32))))
        painter.drawRect(QRectF(wide + 12, 2.5, 44, 19))


class Swatch(QAbstractButton):
    """A square of one color, from which it can be dragged away; `dropped` with one that was dragged here."""

    dropped = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None, size: tuple[int, int] = (30, 22)) -> None:
        super().__init__(parent)
        self.color = "#ffffff"
        self._press: QPointF | None = None
        self.setFixedSize(*size)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAcceptDrops(True)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._press = event.position()
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons() & Qt.MouseButton.LeftButton and is_far(self._press, event.position()):
            self._press = None
            self.setDown(False)
            carry(self, self.color)
        else:
            super().mouseMoveEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        take(event, self)

    def dropEvent(self, event: QDropEvent | None) -> None:
        if (color := take(event, self)) is not None:
            self.dropped.emit(color)

    def set_color(self, color: str) -> None:
        """Show a color."""
        self.color = color
        self.setToolTip(plain(color))
        self.update()

    def sizeHint(self) -> QSize:
        return self.size()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(theme.ACCENT if self.hasFocus() else "#8c8c8c"), 2 if self.hasFocus() else 1))
        painter.setBrush(QColor(self.color))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)


class HexEdit(QLineEdit):
    """Six hex digits; `entered` when they make a color, a red frame while they do not."""

    entered = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(74)
        self.setMaxLength(9)
        self._color = "#ffffff"
        self.editingFinished.connect(self._finish)
        self.textEdited.connect(self._check)

    def set_color(self, color: str) -> None:
        """Show a color, unless one is being typed."""
        self._color = color
        if not (self.hasFocus() and self.isModified()):
            self.setText(color)
            self._mark(False)

    def _mark(self, bad: bool) -> None:
        if self.property("bad") != bad:
            self.setProperty("bad", bad)
            self.style().unpolish(self)  # type: ignore[union-attr]
            self.style().polish(self)  # type: ignore[union-attr]

    def _check(self, text: str) -> None:
        try:
            normalize_hex(text)
            self._mark(False)
        except EvenPaletteError:
            self._mark(True)

    def _finish(self) -> None:
        if not self.isModified():
            return
        self.setModified(False)
        try:
            color = normalize_hex(self.text())
        except EvenPaletteError:
            color = self._color
        self._mark(False)
        self.setText(color)
        if color != self._color:
            self._color = color
            self.entered.emit(color)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and self.isModified():
            self.setModified(False)
            self.setText(self._color)
            self._mark(False)
            return
        super().keyPressEvent(event)


class ColorField(QWidget):
    """Swatch and hex entry in a line. `edited` while the color moves, `finished` when a move is over."""

    edited = pyqtSignal(str)
    finished = pyqtSignal()
    reset = pyqtSignal()

    def __init__(
        self, pick: PickColor | None = None, parent: QWidget | None = None, around: AskAround | None = None
    ) -> None:
        super().__init__(parent)
        self._around = around
        self._pick = pick
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self.swatch = Swatch(self)
        self.hex = HexEdit(self)
        layout.addWidget(self.swatch)
        layout.addWidget(self.hex)
        layout.addStretch(1)
        self.setFocusProxy(self.hex)
        self.swatch.clicked.connect(self.open_editor)
        self.hex.entered.connect(self._entered)
        self.swatch.dropped.connect(self._entered)
        self._editor: ColorEditor | None = None

    @property
    def color(self) -> str:
        """The color shown."""
        return self.swatch.color

    def set_color(self, color: str) -> None:
        """Show a color; nothing is emitted."""
        self.swatch.set_color(color)
        self.hex.set_color(color)
        if self._editor is not None and is_open(self._editor):
            self._editor.set_color(color)

    def _entered(self, color: str) -> None:
        self.set_color(color)
        self.edited.emit(color)
        self.finished.emit()

    def open_editor(self) -> None:
        """Show the editor by the swatch."""
        editor = ColorEditor(self._pick, self, self._around() if self._around is not None else None)
        self._editor = editor
        editor.set_color(self.color)
        editor.edited.connect(self._from_editor)
        editor.finished.connect(self.finished)
        show_above(editor, self.swatch)
        editor.hex.setFocus()
        editor.hex.selectAll()

    def _from_editor(self, color: str) -> None:
        self.swatch.set_color(color)
        self.hex.set_color(color)
        self.edited.emit(color)


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
