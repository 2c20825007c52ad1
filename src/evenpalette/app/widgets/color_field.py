"""A color in one line: swatch and hex entry, with an editor behind them."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QWidget,
)

from evenpalette.app.widgets.color_editor import AskAround, ColorEditor, PickColor
from evenpalette.app.widgets.color_parts import HexEdit, Swatch
from evenpalette.app.widgets.popup import is_open, show_above


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
